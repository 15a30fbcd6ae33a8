;!- [zero] => [zero]\nz_by = "first-tool"
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
Z25.
T2 M6
G43 H2 Z25. M8
G0 Z50. M9
M5
M30
