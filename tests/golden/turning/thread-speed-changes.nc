; expect thread-speed-changes 15 does not meet
; expect thread-runout 10 behind
; expect thread-depth 15 shallow
G21 G40 G97 G99 G54
G50 S2500
T0606
G97 S600 M3
G0 X42. Z6.
X39.4
G32 Z-22. F2.5
G0 X42.
Z6.
G97 S800
X38.8
G32 Z-22.0 F2.5
G0 X42.
G0 X200. Z100. M5
M30
