; expect number-no-decimal 8:1 0.05 mm
;!- format = 1 => format = 1\ncontrol = "strict-mill"
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X50. Y50.
X50
Z2.
G0 Z50. M9
M5
M30
