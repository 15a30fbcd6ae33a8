; expect syntax 6 no block N100 to go to in this program
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
GOTO 100
G0 Z50. M9
M5
M30
O2
N100 X-22.
M99
