; expect tool-into-fixture 11 the holder
;!- name = "left clamp" => name = "soft jaw"\nmay_cut = 3.0
;!- stickout = 40.0 => stickout = 12.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
X18. Y30.
Z2.
G1 Z-3. F200
X12.
G0 Z50. M9
M5
M30
