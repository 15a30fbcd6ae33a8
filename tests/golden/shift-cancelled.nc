; the safe line takes the shift and the rotation of the last job away: nothing to find
;! [start]
;! rotation = 30.0
;! shift = { x = 2.0, y = 0.0, z = 1.5 }
;! units = "inch"
;! distance = "G91"
;! offset = "G55"
G92.1 G69
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25.
M5
M30
