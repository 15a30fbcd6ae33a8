; expect zero-not-given 8
;! [registers.work]
;! G55 = { x = -170.0, y = -150.0, z = -200.0 }
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G55 X-20. Y-20.
G54
M5
M30
