; expect cuts-air 4:1 cuts only air
; the depth has lost its sign: the tool runs 3 mm over the plate
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y10. S3000 M3
G43 H1 Z3. M8
G1 X120. F800
G0 Z50. M9
M5
M30
