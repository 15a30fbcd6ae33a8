; pitch times speed: nothing to find
;!- kind = "drill" => kind = "tap"
;!- SIG = 118.0 => TP = 1.0
G21 G17 G40 G49 G80 G90 G94
T2 M6
G0 G54 X-20. Y-20. S500 M3
G43 H2 Z25. M8
X20. Y50. Z5.
G98 G84 Z-10. R3. F500
G80
G0 Z50. M9
M5
M30
