;!- [[tool]]\nnumber = 1 => [tailstock]\nz = 1.0\n[[tool]]\nnumber = 1
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S150 M3
G0 X44. Z2.
X36.
G1 Z-40. F0.2
X41.
G0 X200. Z100. M5
M30
