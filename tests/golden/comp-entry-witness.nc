; expect comp-entry-witness 10 gouges the part by 5.000 mm
; the pocket is begun in its corner: the entry stands square to the first wall and deep in the second
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X30. Y20.
Z2.
G1 Z-3. F200
G41 D1 X20. Y10. F400
X60.
Y40.
X20.
Y10.
G40 X30. Y20.
G0 Z50. M9
M5
M30
