; nothing to find
;!- [[fixture]] => material = "steel"\n[[fixture]]
;!- APMX = 22.0 => APMX = 22.0\nNOF = 4
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y10. S3000 M3
G43 H1 Z5. M8
G1 Z-1. F1000
X50. F800
G0 Z50. M9
M5
M30
