;! [[tool]]
;! number = 2
;! kind = "beam"
;! kerf = 0.2
;! pierce_s = 0.3
;! pierce_diameter = 0.4
;! feed = [2000, 6000]
G21 G90 G40 G54
T2 M6
G0 X60. Y60.
M3
G4 P0.3
G41 G1 Y55. F4000
G3 J5.
G40 G1 Y60.
M5
G0 X17. Y20.
M3
G4 P0.3
G42 G1 X20. F5000
X120.
Y120.
X20.
Y19.
G40 X17.
M5
G0 X0. Y0.
M30
