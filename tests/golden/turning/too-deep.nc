; expect too-deep 8 its edge is
;!- holder = { width = 20.0, length = 100.0 } => 
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S120 M3
G0 X14. Z2.
G1 Z-10. F0.1
G0 Z5.
G0 X200. Z100. M5
M30
