; expect tool-unknown 3
G21 G90 G54 G0 X0. Y300.
T9
X300. Y300.
G0 X0. Y400.
M30
