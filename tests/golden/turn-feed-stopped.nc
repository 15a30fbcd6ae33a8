; expect turn-feed-stopped 7:9 wait for ever
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
M5
G95 F.1 G1 X-15.
G94
G0 Z50. M9
M5
M30
