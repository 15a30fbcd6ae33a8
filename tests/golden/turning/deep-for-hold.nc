; expect deep-for-hold 8 this hold takes
;!- face = -60.0 => face = -60.0\ngrip_limit = 1.5
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S150 M3
G0 X34. Z2.
G1 Z-20. F0.2
X41.
G0 X200. Z100. M5
M30
