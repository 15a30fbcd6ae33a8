; down on a ramp, and straight down beside the stock: nothing to find
;!- APMX = 22.0 => APMX = 22.0\ncentre_cutting = false
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50. Y30. S3000 M3
G43 H1 Z2. M8
G1 Z0.1 F200
X70. Z-1.
X50. Z-2.
X70.
G0 Z50.
X50. Y-20.
Z2.
G1 Z-3.
Y20.
G0 Z50. M9
M5
M30
