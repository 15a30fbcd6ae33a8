; expect probe-missed 6:1 without touching
;!- kind = "drill" => kind = "probe"
G21 G17 G40 G49 G80 G90 G94
T2 M6
G0 G54 X-30. Y-40. G43 H2 Z25.
G38.2 Z10. F100
G0 Z50.
M30
