; expect word-unknown 4
G21 G90 G40 G54
G0 X60. Y60.
G81 X70. Y60. R2. Z-3.
M30
