; expect nose-register-wrong 8 orientation 2
;! [registers.nose]
;! 1 = { radius = 0.8, orientation = 2 }
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S150 M3
G0 G42 X30. Z2.
G1 Z0. F0.12
X36. Z-20.
X42.
G0 G40 X46.
G0 X200. Z100. M5
M30
