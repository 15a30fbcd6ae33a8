; expect geometry-wrong 6 X holds 118.000
;! [registers.geometry]
;! 1 = { x = 118.0, z = 60.0 }
G21 G40 G97 G99 G54
G50 S2500
T0101 
G96 S150 M3
G0 X36. Z2.
G1 Z-30. F0.2
X41.
G0 X200. Z100. M5
M30
