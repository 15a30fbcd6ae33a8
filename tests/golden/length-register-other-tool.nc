; expect length-register-wrong 6:5 tool 2's length
; expect length-offset-other 6:5 H2
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H2 Z10. M8
G0 Z50. M9
M5
M30
