; expect units-suspect 10 25 times smaller
; expect close-pass 10
;!- place = 1.0 => place = 0.0
G21 G40 G97 G99 G54
G50 S2500
T0101
G97 S500 M3
G0 X1.7 Z0.1
X1.4
G1 Z-1. F0.008
X1.65
G0 X8. Z4.
M5
M30
