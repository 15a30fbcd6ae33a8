; expect work-offset-wrong 11 with tool 2: out by Z +0.400
;!- [zero] => [zero]\nz_by = "each-tool"
;! [registers.touched]
;! T2 = 0.4
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
Z25.
Y-25.
T2 M6
Z25.
M30
