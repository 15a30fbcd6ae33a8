; expect tool-into-fixture 10
;!- place = [-25.0, 20.0, -5.0] => place = [-25.0, 20.0, -5.0]\nfrom_stop = 1
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z10. M8
Y30. Z5.
Z20.
M0
Z5.
G0 Z50. M9
M5
M30
