; expect hit-overlaps 5
G21 G90 G54 G0 X0. Y300.
T3
X300. Y300.
X320.8
G0 X0. Y400.
M30
