; expect zero-not-given 9 G55
;! [registers.work]
;! G55 = { x = -298.0, y = -150.0, z = -200.0 }
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z10. M8
G55
G0 X10.
G0 Z50. M9
M5
M30
