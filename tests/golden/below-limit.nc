; expect below-limit 8 limit of -2.000 mm
;!- cell = 0.25 => cell = 0.25\nlowest_z = { T1 = -2.0 }
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
X50. Y50. Z2.
G1 Z-2.5 F200
G0 Z50. M9
M5
M30
