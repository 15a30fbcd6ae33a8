"""The glass's shaders (GLSL 3.30).

Stock: the height field's box is drawn, and each pixel's ray walks over a pyramid of greatest heights, in cells, until
it drops below a cell's height (a floor) or enters a cell that is higher than itself (a wall).
"""

STOCK_VERTEX = """
#version 330 core
uniform mat4 u_view_projection;
uniform mat4 u_from_grid;
uniform vec3 u_box;
in vec3 a_corner;
out vec3 v_world;
void main() {
    vec4 world = u_from_grid * vec4(a_corner * u_box, 1.0);
    v_world = world.xyz;
    gl_Position = u_view_projection * world;
}
"""

STOCK_FRAGMENT = """
#version 330 core
uniform mat4 u_view_projection;
uniform mat4 u_from_grid;
uniform mat4 u_to_grid;
uniform vec3 u_eye;
uniform vec3 u_forward;
uniform int u_parallel;
uniform vec3 u_box;
uniform float u_cell;
uniform float u_pixel_mm;
uniform int u_top_level;
uniform sampler2D u_height;
uniform usampler2D u_code;
uniform vec3 u_colours[64];
uniform vec3 u_selected;
uniform vec4 u_cut;
in vec3 v_world;
out vec4 f_colour;

float height_at(ivec2 c) {
    c = clamp(c, ivec2(0), ivec2(u_box.xy) - 1);
    return texelFetch(u_height, c, 0).r;
}

void main() {
    vec3 w0 = u_parallel == 1 ? v_world - u_forward * 5000.0 : u_eye;
    vec3 wd = u_parallel == 1 ? u_forward : normalize(v_world - u_eye);
    vec3 o = (u_to_grid * vec4(w0, 1.0)).xyz;
    vec3 d = (u_to_grid * vec4(wd, 0.0)).xyz;
    if (abs(d.x) < 1e-7) d.x = 1e-7;
    if (abs(d.y) < 1e-7) d.y = 1e-7;
    if (abs(d.z) < 1e-9) d.z = 1e-9;
    vec3 ta = (vec3(0.0, 0.0, 0.0) - o) / d;
    vec3 tb = (u_box - o) / d;
    vec3 lo = min(ta, tb), hi = max(ta, tb);
    float t = max(max(lo.x, lo.y), max(lo.z, 0.0));
    float t_out = min(hi.x, min(hi.y, hi.z));
    // The section: what has dot(u_cut, p) over 0 is taken away, and the ray begins or ends at the plane.
    float f0 = dot(u_cut.xyz, o) + u_cut.w, fd = dot(u_cut.xyz, d);
    float t_cut = -1.0;
    if (abs(fd) < 1e-12) { if (f0 > 0.0) discard; }
    else if (fd < 0.0) t_cut = -f0 / fd;
    else t_out = min(t_out, -f0 / fd);
    int axis = t == lo.x ? 0 : (t == lo.y ? 1 : 2);
    if (t_cut > t) { t = t_cut; axis = 3; }
    if (t > t_out) discard;
    ivec2 cells = ivec2(u_box.xy);
    vec3 p = o + d * t;
    ivec2 c = clamp(ivec2(floor(p.xy)), ivec2(0), cells - 1);
    if (axis == 0) c.x = d.x > 0.0 ? 0 : cells.x - 1;
    if (axis == 1) c.y = d.y > 0.0 ? 0 : cells.y - 1;
    int level = min(4, u_top_level);
    int hit = 0;
    float h = 0.0;
    for (int step = 0; step < 900; step++) {
        ivec2 b = c >> level;
        float tx = (float(d.x > 0.0 ? (b.x + 1) << level : b.x << level) - o.x) / d.x;
        float ty = (float(d.y > 0.0 ? (b.y + 1) << level : b.y << level) - o.y) / d.y;
        float te = min(min(tx, ty), t_out);
        te = max(te, t);
        float z0 = o.z + d.z * t, z1 = o.z + d.z * te;
        h = texelFetch(u_height, b, level).r;
        if (min(z0, z1) > h || h <= 0.0) {
            if (te >= t_out) break;
            t = te;
            if (tx < ty) {
                axis = 0;
                c.x = d.x > 0.0 ? (b.x + 1) << level : (b.x << level) - 1;
                c.y = clamp(int(floor(o.y + d.y * te)), b.y << level, ((b.y + 1) << level) - 1);
            } else {
                axis = 1;
                c.y = d.y > 0.0 ? (b.y + 1) << level : (b.y << level) - 1;
                c.x = clamp(int(floor(o.x + d.x * te)), b.x << level, ((b.x + 1) << level) - 1);
            }
            if (c.x < 0 || c.y < 0 || c.x >= cells.x || c.y >= cells.y) break;
            level = min(level + 1, u_top_level);
            continue;
        }
        if (level > 0) { level -= 1; continue; }
        if (z0 <= h && !(axis == 2 && d.z < 0.0)) { hit = axis == 3 ? 4 : (axis == 2 ? 3 : 2); break; }
        if (d.z < 0.0) {
            t = clamp((h - o.z) / d.z, t, te);
            hit = 1;
            break;
        }
        hit = 2;
        break;
    }
    if (hit == 0) discard;

    p = o + d * t;
    vec3 n = vec3(0.0, 0.0, 1.0);
    float edge = 0.0;
    float shade = 1.0;
    float jump = max(1.2 * u_cell, 0.05);
    if (hit == 1) {
        // Floors: one-sided differences that ignore jumps, so that slopes and cones look smooth and steps stay sharp.
        float xa = h - height_at(c - ivec2(1, 0)), xb = height_at(c + ivec2(1, 0)) - h;
        float ya = h - height_at(c - ivec2(0, 1)), yb = height_at(c + ivec2(0, 1)) - h;
        float gx = abs(xa) < jump ? (abs(xb) < jump ? 0.5 * (xa + xb) : xa) : (abs(xb) < jump ? xb : 0.0);
        float gy = abs(ya) < jump ? (abs(yb) < jump ? 0.5 * (ya + yb) : ya) : (abs(yb) < jump ? yb : 0.0);
        n = normalize(vec3(-gx, -gy, u_cell));
        // A line of one pixel along every step, whatever the zoom; and some shadow from walls that stand close.
        int w = max(1, int(0.75 * u_pixel_mm / u_cell + 0.5));
        float ha = height_at(c + ivec2(w, 0)), hb = height_at(c - ivec2(w, 0));
        float hc = height_at(c + ivec2(0, w)), hd = height_at(c - ivec2(0, w));
        float least = max(0.3, 1.5 * float(w) * u_cell);
        float far = max(max(abs(ha - h), abs(hb - h)), max(abs(hc - h), abs(hd - h)));
        edge = far > least ? 1.0 : 0.0;
        float dark = 0.0;
        for (int k = 0; k < 8; k++) {
            float a = 0.7854 * float(k) + 0.3;
            vec2 way = vec2(cos(a), sin(a));
            for (int s = 1; s <= 2; s++) {
                float reach = s == 1 ? 1.6 : 5.0;
                float up = height_at(c + ivec2(way * reach / u_cell)) - h;
                dark += clamp(up / reach, 0.0, 2.0) * 0.5;
            }
        }
        shade = 1.0 - 0.30 * clamp(dark / 8.0, 0.0, 1.0);
    } else if (hit == 4) {
        edge = h - p.z < 0.9 * u_pixel_mm ? 0.8 : 0.0;
    } else if (hit == 3) {
        n = vec3(0.0, 0.0, d.z > 0.0 ? -1.0 : 1.0);
    } else {
        // Walls: away from the cells around that are higher than the hit, so that a round wall looks round.
        vec2 sum = vec2(0.0);
        for (int j = -2; j <= 2; j++) for (int i = -2; i <= 2; i++) {
            ivec2 q = c + ivec2(i, j);
            bool inside = q.x >= 0 && q.y >= 0 && q.x < cells.x && q.y < cells.y;
            if (inside && texelFetch(u_height, q, 0).r > p.z - 0.01) sum += vec2(float(i), float(j));
        }
        vec2 flat_n = axis == 0 ? vec2(-sign(d.x), 0.0) : vec2(0.0, -sign(d.y));
        n = dot(sum, sum) > 0.5 && dot(-sum, flat_n) > 0.0 ? vec3(-normalize(sum), 0.0) : vec3(flat_n, 0.0);
        float down = (h - p.z) / max(u_pixel_mm, 1e-6);
        edge = down < 0.9 ? 0.8 : 0.0;
    }
    uint code = texelFetch(u_code, c, 0).r;
    uint tool = code & 63u;
    vec3 base = u_colours[tool];
    if (hit == 3 || (hit == 2 && tool == 0u)) base = u_colours[0];
    vec3 nw = normalize((u_from_grid * vec4(n.x * (1.0 / u_cell), n.y * (1.0 / u_cell), n.z, 0.0)).xyz);
    float light = 0.56 + 0.34 * max(dot(nw, normalize(vec3(-0.45, -0.55, 0.85))), 0.0) + 0.14 * nw.z;
    vec3 colour = base * light * shade;
    if (hit == 4) {
        // Sawn through: the stock's own colour, hatched.
        float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0) < 1.2 ? 0.82 : 1.0;
        colour = u_colours[0] * 1.04 * stripe;
    } else if ((code & 128u) != 0u) colour = mix(colour, u_selected * (0.55 + 0.5 * light), 0.55);
    colour = mix(colour, colour * 0.62, edge);
    vec4 clip = u_view_projection * (u_from_grid * vec4(p, 1.0));
    gl_FragDepth = 0.5 * clip.z / clip.w + 0.5;
    f_colour = vec4(colour, 1.0);
}
"""

SOLID_VERTEX = """
#version 330 core
uniform mat4 u_view_projection;
uniform mat4 u_model;
in vec3 a_place;
in vec3 a_normal;
out vec3 v_normal;
out vec3 v_world;
void main() {
    v_normal = mat3(u_model) * a_normal;
    vec4 world = u_model * vec4(a_place, 1.0);
    v_world = world.xyz;
    gl_Position = u_view_projection * world;
}
"""

SOLID_FRAGMENT = """
#version 330 core
uniform vec4 u_colour;
uniform vec4 u_cut;
in vec3 v_normal;
in vec3 v_world;
out vec4 f_colour;
void main() {
    if (dot(u_cut.xyz, v_world) + u_cut.w > 0.0) discard;
    if (!gl_FrontFacing && dot(u_cut.xyz, u_cut.xyz) > 0.0) {
        // The inside of a body that the section opens stands for its sawn face.
        float stripe = mod(gl_FragCoord.x - gl_FragCoord.y, 9.0) < 1.2 ? 0.82 : 1.0;
        f_colour = vec4(u_colour.rgb * 0.9 * stripe, u_colour.a);
        return;
    }
    vec3 n = normalize(v_normal);
    float light = 0.56 + 0.34 * max(dot(n, normalize(vec3(-0.45, -0.55, 0.85))), 0.0) + 0.14 * n.z;
    f_colour = vec4(u_colour.rgb * light, u_colour.a);
}
"""

LINE_VERTEX = """
#version 330 core
uniform mat4 u_view_projection;
uniform vec2 u_size;
uniform float u_width;
uniform float u_pixel_mm;
in vec2 a_corner;
in vec3 a_from;
in vec3 a_to;
in vec2 a_along;
in float a_style;
uniform vec4 u_colours[4];
uniform vec4 u_widths;
out vec4 v_colour;
out vec3 v_world;
out float v_along;
flat out int v_style;
void main() {
    vec4 p = u_view_projection * vec4(a_from, 1.0);
    vec4 q = u_view_projection * vec4(a_to, 1.0);
    vec2 sp = p.xy / p.w * u_size, sq = q.xy / q.w * u_size;
    vec2 way = sq - sp;
    float size = length(way);
    way = size > 1e-6 ? way / size : vec2(1.0, 0.0);
    vec2 across = vec2(-way.y, way.x);
    v_style = max(0, int(a_style + 0.5));
    float half_width = 0.5 * u_width * u_widths[v_style] + 0.5;
    vec4 at = a_corner.x < 0.5 ? p : q;
    vec2 off = across * (a_corner.y * half_width * 2.0) + way * ((a_corner.x * 2.0 - 1.0) * 0.4);
    at.xy += off / u_size * at.w;
    at.z -= 0.00008 * at.w;
    gl_Position = at;
    v_colour = u_colours[v_style];
    v_world = mix(a_from, a_to, a_corner.x);
    if (a_style < -0.5) gl_Position = vec4(0.0, 0.0, 2.0, 1.0);
    v_along = mix(a_along.x, a_along.y, a_corner.x) / u_pixel_mm;
}
"""

LINE_FRAGMENT = """
#version 330 core
uniform vec2 u_dash;
uniform vec4 u_cut;
in vec4 v_colour;
in vec3 v_world;
in float v_along;
flat in int v_style;
out vec4 f_colour;
void main() {
    if (dot(u_cut.xyz, v_world) + u_cut.w > 0.0) discard;
    if (v_style == 0 && mod(v_along, u_dash.x) > u_dash.y) discard;
    if (v_style == 3 && mod(v_along, 5.0) > 2.0) discard;
    f_colour = v_colour;
}
"""

GROUND_VERTEX = """
#version 330 core
in vec2 a_place;
out vec2 v_place;
void main() { v_place = a_place; gl_Position = vec4(a_place, 0.9999, 1.0); }
"""

GROUND_FRAGMENT = """
#version 330 core
uniform vec3 u_top;
uniform vec3 u_bottom;
in vec2 v_place;
out vec4 f_colour;
void main() { f_colour = vec4(mix(u_bottom, u_top, 0.5 + 0.5 * v_place.y), 1.0); }
"""

BLEND_FRAGMENT = """
#version 330 core
uniform sampler2D u_picture;
uniform float u_share;
in vec2 v_place;
out vec4 f_colour;
void main() { f_colour = vec4(texture(u_picture, v_place * 0.5 + 0.5).rgb, u_share); }
"""
