; 12 mm over the table, 2 over the clamp: nothing
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z10. M8
Y30. Z12.
X60.
G0 Z50. M9
M5
M30
