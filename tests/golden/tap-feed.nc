; expect tap-feed 15 asks for 500
;!- DC = 10.0 => DC = 6.8
;!- kind = "drill" => kind = "tap"
;!- SIG = 118.0 => TP = 1.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X20. Y50. S1500 M3
G43 H1 Z25. M8
G81 Z-12. R3. F150
G80
T2 M6
G0 G54 X20. Y50. S500 M3
G43 H2 Z25. M8
Z5.
G98 G84 Z-10. R3. F400
G80
G0 Z50. M9
M5
M30
