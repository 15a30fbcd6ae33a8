; expect radius-register-wrong 8:5 that is the diameter
;! [registers.radius]
;! D1 = 10.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G41 D1 G1 X-20. Y-40. F400
X30.
G40 Y-60.
G0 Z50. M9
M5
M30
