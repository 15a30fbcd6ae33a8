;!- G54 = { x = 50.0, y = 50.0 } => G54 = { x = 50.0, y = 50.0 }\nG55 = { x = 700.0, y = 50.0 }
;!- [stock] => [stock]\nrepeat_at = ["G54", "G55"]
(A SHEET AT EACH ZERO, THE SAME PLATE OUT OF BOTH)
G21 G90 G40 G54
M98 P20
G55
M98 P20
G54
G0 X0. Y0.
M30
O20
G0 X14. Y20.
M3
G4 P0.6
G42 G1 X20. F2200
X90.
Y90.
X20.
Y17.
G40 X14.
M5
M99
