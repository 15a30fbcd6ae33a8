; expect work-offset-wrong 5 is skewed 5 degrees
;!- z = -200.0 } => z = -200.0, turned = 5.0 }
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X50. Y30. Z2.
G1 Z-2. F200
G0 Z50. M9
M5
M30
