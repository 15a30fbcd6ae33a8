; expect tool-into-fixture 8 hits the soft jaw, 1.000 mm deep
;!- name = "left clamp" => name = "soft jaw"\nmay_cut = 3.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
X-20. Y30.
G1 Z6. F300
G0 Z50. M9
M5
M30
