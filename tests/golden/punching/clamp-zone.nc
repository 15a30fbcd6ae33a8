; expect clamp-zone 4
G21 G90 G54 G0 X0. Y300.
T12
X165. Y60.
G0 X0. Y400.
M30
