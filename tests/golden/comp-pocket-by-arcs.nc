; a round pocket by arcs on and off, two depths, compensation on between: nothing to find
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X50. Y30.
Z2.
G1 Z-2. F200
G41 D1 X58. Y22. F400
G3 X66. Y30. I0 J8.
G3 I-16. J0
G3 X58. Y38. I-8. J0
G1 G40 X50. Y30.
Z-4. F200
G41 D1 X58. Y22. F400
G3 X66. Y30. I0 J8.
G3 I-16. J0
G3 X58. Y38. I-8. J0
G1 G40 X50. Y30.
G0 Z50. M9
M5
M30
