; expect tool-into-fixture 8 into the jaws
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S150 M3
G0 X44. Z2.
X38.
G1 Z-62. F0.2
X46.
G0 X200. Z100. M5
M30
