; expect stopped-tool-into-stock 7 stands
G21 G40 G97 G98 G54
G50 S2500
T0101
G97 S900
G0 X36. Z2.
G1 Z-20. F100
X42.
G0 X200. Z100. M5
M30
