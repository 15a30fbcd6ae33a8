; expect radius-register-wrong 8
;! [registers.radius]
;! D1 = 1.2
G21 G90 G40 G54
G0 X60. Y60.
M3
G4 P0.6
G41 G1 X60. Y50. F2000
G3 X60. Y50. I0. J10.
G40 G1 X60. Y60.
M5
G0 X0. Y0.
M30
