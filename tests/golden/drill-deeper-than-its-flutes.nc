; expect too-deep 7 drills a hole 15.000 mm deep, but its flutes are 12.000 mm
;!- APMX = 60.0 => APMX = 12.0
G21 G17 G40 G49 G80 G90 G94
T2 M6
G0 G54 X50. Y30. S1000 M3
G43 H2 Z5. M8
G83 X50. Y30. Z-15. R2. Q3. F120
G80
G0 Z50. M9
M5
M30
