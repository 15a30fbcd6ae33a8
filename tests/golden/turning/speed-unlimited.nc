; expect speed-unlimited 6 no limit
G21 G40 G97 G99 G54
T0101
G96 S150 M3
G0 X44. Z0.
G1 X-1.6 F0.12
G0 Z5.
G0 X200. Z100. M5
M30
