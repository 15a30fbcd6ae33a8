; a small pocket of its own proportions on the plate: nothing to find
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X40. Y30. Z1.
G1 Z-1. F100
X44. F200
Y34.
X40.
Y30.
G0 Z50.
M5
M30
