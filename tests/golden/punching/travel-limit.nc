; expect travel-limit 4
G21 G90 G54 G0 X0. Y300.
T12
G0 X1310. Y200.
G0 X0. Y400.
M30
