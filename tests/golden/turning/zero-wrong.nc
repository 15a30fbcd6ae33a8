; expect work-offset-wrong 8
;! [registers.work]
;! G54 = { z = -381.0 }
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S150 M3
G0 X36. Z2.
G1 Z-20. F0.2
X42.
G0 X200. Z100. M5
M30
