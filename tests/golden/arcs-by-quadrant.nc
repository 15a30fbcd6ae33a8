; the same half circle in two quarters: nothing to find
;!- format = 1 => format = 1\ncontrol = "strict-mill"
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X40. Y50.
G1 Z20. F300
G2 X50. Y60. I10. J0.
X60. Y50. I0. J-10.
G0 Z50. M9
M5
M30
