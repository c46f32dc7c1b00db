#include "app/gl/gl_shaders.h"

#include "base/error.h"

namespace ovrix::app {

void linkProgram(QOpenGLShaderProgram& program, const char* vertex, const char* fragment,
                 const char* geometry) {
    bool ok = program.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex) &&
              program.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment);
    if (geometry) ok = ok && program.addShaderFromSourceCode(QOpenGLShader::Geometry, geometry);
    if (!ok || !program.link())
        throw Error("the view's shaders do not build: " + program.log().toStdString(), {},
                    "Install a newer graphics driver");
}

const char* const kSceneVertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in float heat;
layout(location = 3) in vec4 place;   // xyz, scale
layout(location = 4) in vec4 turn;    // quaternion x y z w
layout(location = 5) in vec3 stretch;
layout(location = 6) in vec3 tint;    // hue shift in turns, factors on saturation and brightness
layout(location = 7) in vec3 own;     // a factor on the colour
layout(location = 8) in vec4 look;    // what is worn: the colour as screens have it, roughness
layout(location = 9) in vec4 layers;  // metalness, coat, how clear it is, opacity
uniform mat4 viewProjection;
uniform mat4 model;
uniform float dotSize;
uniform float outline;   // pixels that it is drawn wider to each side
uniform float behind;    // metres that it is drawn further away than it is, in the same place
uniform vec2 viewport;
uniform vec3 eye;
out vec3 worldNormal;
out vec3 worldPosition;
out float heatValue;
out vec3 tintValue;
out vec3 ownColor;
out vec4 lookValue;
out vec4 layerValues;
vec3 turned(vec4 q, vec3 v) { return v + 2.0 * cross(q.xyz, cross(q.xyz, v) + q.w * v); }
void main() {
    vec3 p = (model * vec4(position, 1.0)).xyz;
    p = turned(turn, p * place.w * stretch) + place.xyz;
    worldNormal = turned(turn, mat3(model) * normal / max(stretch, vec3(1e-6)));
    worldPosition = p;
    heatValue = heat;
    tintValue = tint;
    ownColor = own;
    lookValue = look;
    layerValues = layers;
    gl_Position = viewProjection * vec4(p, 1.0);
    if (outline > 0.0) {
        vec4 ahead = viewProjection * vec4(p + worldNormal * 1e-3 / max(length(worldNormal), 1e-9), 1.0);
        vec2 way = (ahead.xy / ahead.w - gl_Position.xy / gl_Position.w) * viewport;
        if (dot(way, way) > 0.0) gl_Position.xy += normalize(way) * 2.0 * outline / viewport * gl_Position.w;
    }
    if (behind > 0.0) {
        vec4 further = viewProjection * vec4(p + normalize(p - eye) * behind, 1.0);
        gl_Position.z = further.z / further.w * gl_Position.w;
    }
    gl_PointSize = dotSize;
}
)";

const char* const kSceneFragment = R"(#version 330 core
in vec3 worldNormal;
in vec3 worldPosition;
in float heatValue;
in vec3 tintValue;
in vec3 ownColor;
in vec4 lookValue;
in vec4 layerValues;
uniform vec3 eye;
uniform vec3 color;
uniform vec4 mark;       // of what is chosen: its colour, and how much of it
uniform int worn;        // 0 all is of the colour, 1 by what is worn
uniform vec3 toKey, keyLight, above, below;
uniform vec3 heatColors[5];
uniform int mode;        // 0 lit, 1 pick, 2 a contour
uniform int drawn;       // whether it has a shadow of one colour in place of light
uniform vec3 shadowColor;
uniform float shadowEdge;  // light at which that ends; 0 for none
uniform vec3 lineColor;  // as the screen takes it
uniform float zone;      // heat from which a place counts as inside; below 0 shows all heat
uniform vec3 pick;
out vec4 result;
vec3 heatAt(float t) {
    float x = clamp(t, 0.0, 1.0) * 4.0;
    int i = min(int(x), 3);
    return mix(heatColors[i], heatColors[i + 1], x - float(i));
}
vec3 tinted(vec3 c) {
    vec3 axis = vec3(0.57735027);
    float a = 6.2831853 * tintValue.x;
    vec3 t = c * cos(a) + cross(axis, c) * sin(a) + axis * dot(axis, c) * (1.0 - cos(a));
    float grey = dot(t, vec3(0.2126, 0.7152, 0.0722));
    return max(vec3(0.0), (vec3(grey) + (t - vec3(grey)) * tintValue.y) * tintValue.z);
}
void main() {
    if (mode == 1) { result = vec4(pick, 1.0); return; }
    if (mode == 2) { result = vec4(lineColor, 1.0); return; }
    vec3 toEye = normalize(eye - worldPosition);
    vec3 n = dot(worldNormal, worldNormal) > 1e-12 ? normalize(worldNormal) : toEye;  // dots have none
    // To the side that is seen: of the face, since a crest's normal looks a little away from the eye.
    vec3 face = cross(dFdx(worldPosition), dFdy(worldPosition));
    if (dot(face, toEye) < 0.0) face = -face;
    if (dot(n, dot(face, face) > 0.0 ? face : toEye) < 0.0) n = -n;
    if (worn == 1 && layerValues.w < 0.5) discard;
    float rim = pow(1.0 - max(dot(n, toEye), 0.0), 4.0);
    vec3 c = tinted(worn == 1 ? 0.05 + 0.95 * lookValue.rgb : color) * ownColor;
    bool heated = heatValue >= 0.0;
    if (heated) c = heatAt(heatValue);
    float metal = worn == 1 && !heated ? layerValues.x : 0.0;
    float coat = worn == 1 && !heated ? layerValues.y : 0.0;
    float rough = mix(worn == 1 && !heated ? lookValue.a : 0.7, 0.15, coat);
    c *= 1.0 - 0.3 * coat;
    if (heatValue >= 0.0 && zone >= 0.0) {
        float soft = max(fwidth(heatValue), 1e-5);
        c = mix(heatColors[0], heatColors[3], smoothstep(zone - soft, zone + soft, heatValue));
        c = mix(c, vec3(1.0), 0.8 * (1.0 - smoothstep(soft, 2.0 * soft, abs(heatValue - zone))));
    }
    c = mix(c, mark.rgb, heated ? 0.0 : mark.a);
    if (drawn == 1 && !heated) {
        vec3 dark = mix(shadowColor * ownColor, mark.rgb, mark.a);
        result = vec4(dot(n, toKey) < shadowEdge ? dark : c, 1.0);
        return;
    }
    vec3 light = below + above * (0.5 + 0.5 * n.y) + keyLight * max(dot(n, toKey), 0.0);
    // A shine by Blinn's half vector, as narrow as roughness has it, and what is mirrored of above and below.
    vec3 mirrored = reflect(-toEye, n);
    float power = 2.0 / max(rough * rough * rough * rough, 0.004);
    float glint = pow(max(dot(n, normalize(toKey + toEye)), 0.0), power) * (power + 8.0) / 25.0;
    vec3 shine = mix(vec3(0.04 + 0.4 * rim), c, metal);
    vec3 around = mix(below, above + below, smoothstep(-0.3, 0.5, mirrored.y)) * (1.0 - 0.6 * rough);
    vec3 lit = c * (1.0 - 0.75 * metal) * light + shine * (around + keyLight * min(glint, 6.0) * step(0.0, dot(n, toKey)));
    result = vec4(heated || worn == 0 ? c * light + vec3(0.05) * rim : lit,
                  worn == 1 && !heated ? 1.0 - 0.55 * layerValues.z : 1.0);
}
)";

// Edges as bands that look to the eye, each a little longer than it is, so that they meet at corners, and as
// far before it as they are wide.
const char* const kEdgeGeometry = R"(#version 330 core
layout(lines) in;
layout(triangle_strip, max_vertices = 4) out;
in vec3 worldPosition[];
uniform mat4 viewProjection;
uniform vec3 eye;
uniform float pixelSize;
uniform float pixels, metres;  // half of its width
uniform float behind;          // as of the mesh
void main() {
    vec3 way = worldPosition[1] - worldPosition[0];
    if (dot(way, way) < 1e-24) return;
    way = normalize(way);
    for (int i = 0; i < 2; ++i) {
        vec3 toEye = eye - worldPosition[i];
        vec3 side = cross(way, toEye);
        float l = length(side), half_ = pixels * pixelSize * length(toEye) + metres;
        side = l > 1e-9 ? side / l : vec3(1.0, 0.0, 0.0);
        vec3 p = worldPosition[i] + way * half_ * (i == 0 ? -1.0 : 1.0) + normalize(toEye) * half_;
        for (int k = -1; k <= 1; k += 2) {
            vec3 at = p + side * (half_ * float(k));
            gl_Position = viewProjection * vec4(at, 1.0);
            if (behind > 0.0) {
                vec4 further = viewProjection * vec4(at + normalize(at - eye) * behind, 1.0);
                gl_Position.z = further.z / further.w * gl_Position.w;
            }
            EmitVertex();
        }
    }
    EndPrimitive();
}
)";

const char* const kPlainFragment = R"(#version 330 core
uniform vec3 color;  // as the screen takes it
out vec4 result;
void main() { result = vec4(color, 1.0); }
)";

const char* const kGridVertex = R"(#version 330 core
layout(location = 0) in vec4 place;   // xyz, strength
uniform mat4 viewProjection;
uniform vec3 eye;
uniform float reach;
out float strength;
void main() {
    strength = place.w * clamp(1.0 - distance(place.xyz, eye) / reach, 0.0, 1.0);
    gl_Position = viewProjection * vec4(place.xyz, 1.0);
}
)";

const char* const kGridFragment = R"(#version 330 core
in float strength;
uniform vec3 color;
out vec4 result;
void main() { result = vec4(color, strength); }
)";

}  // namespace ovrix::app
