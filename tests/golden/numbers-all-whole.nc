; a program written in increments throughout: nothing to find
;!- format = 1 => format = 1\ncontrol = "strict-mill"
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50000 Y50000 S3000 M3
G43 H1 Z25000 M8
Z2000
G1 Z-1000 F200
X60000
G0 Z50000 M9
M5
M30
