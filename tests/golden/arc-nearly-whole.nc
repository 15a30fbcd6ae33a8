; expect arc-nearly-whole 9 goes right round: its end lies 0.001 mm behind its start
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50. Y-20. S3000 M3
G43 H1 Z10. M8
Z2.
G1 Z-2. F200
Y10. F400
G3 X49.999 Y10. I0. J12.
G3 X50.001 Y10. I0.001 J12.
G1 Y-20.
G0 Z50. M9
M5
M30
