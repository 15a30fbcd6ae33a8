; expect syntax 7:6 the letter O
; expect syntax 8:4 never closed
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z10. M8
G0 X5O.
G0 (up
G0 Z50. M9
M5
M30
