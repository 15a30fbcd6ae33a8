; expect off-sheet 7
;!- G54 = { x = 50.0, y = 50.0 } => G54 = { x = 50.0, y = 50.0 }\nG55 = { x = 720.0, y = 50.0 }
G21 G90 G40 G54
G55 G0 X60. Y60.
M3
G4 P0.6
G1 X90. F2000
M5
G54 G0 X0. Y0.
M30
