; expect pitch-over-nibbling 4
G21 G90 G54 G0 X0. Y300.
T12
G176 X200. Y200. A0. L60. Q10.
G0 X0. Y400.
M30
