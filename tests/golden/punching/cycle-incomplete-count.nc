; expect cycle-incomplete 4:23 no number of hits
G21 G90 G54 G0 X0. Y400.
T3
G170 X300. Y180. A90. K-5 Q20.
G0 X0. Y400.
M30
