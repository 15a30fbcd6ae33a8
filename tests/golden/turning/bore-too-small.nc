; expect bore-too-small 13 does not fit
;!- holder = { diameter = 8.0 => holder = { diameter = 14.0
G21 G40 G97 G99 G54
G50 S2500
T0404
G97 S1200 M3
G0 X0. Z5.
G1 Z-30. F0.15
G0 Z100.
T0505
G97 S900 M3
G0 X14. Z5.
G1 Z-20. F0.1
X12.
G0 Z5.
G0 X200. Z100. M5
M30
