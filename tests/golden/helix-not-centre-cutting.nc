; down on whole turns of a helix: no plunge, though each turn ends above where it began; nothing to find
;!- APMX = 22.0 => APMX = 22.0\ncentre_cutting = false
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X54. Y30. S3000 M3
G43 H1 Z2. M8
G1 Z0. F200
G3 X54. Y30. Z-0.5 I-4. J0. F200
X54. Y30. Z-1. I-4. J0.
X54. Y30. I-4. J0.
G1 X50.
G0 Z50. M9
M5
M30
