; expect word-unused 7:1 no G43 is in force
; expect word-unused 8:4 R belongs to an arc
; expect word-unused 9:20 centre is given as well
; expect word-unused 10:20 turns once
G21 G17 G40 G49 G80 G90 G94
T1 M6
H1 G0 G54 X-20. Y-20. S3000 M3
G0 R2. X-22.
G2 X-20. Y-22. I2. R2. F300
G2 X-20. Y-22. I2. P3
G0 G43 H1 Z25. M8
G0 Z50. M9
M5
M30
