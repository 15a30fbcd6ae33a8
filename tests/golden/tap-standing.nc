; expect stopped-tool-into-stock 15 spindle stopped
;! [[tool]]
;! number = 3
;! kind = "tap"
;! DC = 10.0
;! TP = 1.0
;! length = 90.0
G21 G17 G40 G49 G80 G90 G94
T2 M6
G0 G54 X20. Y20. S1000 M3
G43 H2 Z25. M8
G81 X20. Y20. Z-14. R2. F100.
G80 T3 M6
G0 G43 H3 Z25. S300 M8
G84 X20. Y20. Z-8. R2. F300.
G80 G0 Z50. M9
M5
M30
