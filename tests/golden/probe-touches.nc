; the probe finds the plate's left side, at X-4 with its ball of 8: nothing to find
;!- kind = "drill" => kind = "probe"
G21 G17 G40 G49 G80 G90 G94
T2 M6
G0 G54 X-30. Y10. G43 H2 Z20.
Z-8.
G38.2 X20. F100
G0 X-30.
Z50.
M30
