; expect plunge-not-centre-cutting 9 cannot cut at its centre
;!- APMX = 22.0 => APMX = 22.0\ncentre_cutting = false
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50. Y30. S3000 M3
G43 H1 Z2. M8
G4 P0.1
G1 F200
Z-3.
X70.
G0 Z50. M9
M5
M30
