; expect tool-unknown 4 not on
G21 G40 G97 G99 G54
G50 S2500
T0909
G0 X100. Z50.
M30
