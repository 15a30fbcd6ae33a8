; expect subprogram-missing 6:5 subprogram 404
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z10.
M98 P404
M30
