; expect wrong-tool-loaded 6 tool 2 (drill 8)
; expect length-register-wrong 8
;! [loaded]
;! T1 = 2
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z10. M8
G0 Z50. M9
M5
M30
