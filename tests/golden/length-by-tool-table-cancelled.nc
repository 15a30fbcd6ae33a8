; expect length-offset-missing 6
;!- [zero] => [zero]\nz_by = "tool-table"
G21 G17 G40 G49 G80 G90 G94
T1 M6
G49 G0 G54 X-20. Y-20. S3000 M3
Z100.
M30
