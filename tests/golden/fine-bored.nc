; a fine-boring cycle: the bar leaves the wall by Q before it comes out, and touches nothing: nothing to find
;!- kind = "drill" => kind = "boring-bar"
;!- SIG = 118.0 => centre_cutting = true
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50. Y30. S3000 M3
G43 H1 Z5. M8
G81 X50. Y30. Z-8.5 R2. F200
G80
G0 Z50.
T2 M6
G0 X50. Y30. S800 M3
G43 H2 Z5.
G76 X50. Y30. Z-8. R2. Q0.3 F80
G80
G0 Z50. M9
M5
M30
