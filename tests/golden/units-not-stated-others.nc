; expect units-not-stated 1 absolute or incremental, which work offset, the plane of its arcs before
G21 G40 G49 G80 G94
T1 M6
G0 X-20. Y-20. S3000 M3
G43 H1 Z25.
G3 X-20. Y-20. I-5. J0 F500
M5
M30
