#include "app/gl/gl_points.h"

#include "app/gl/gl_offset.h"
#include "app/gl/gl_shaders.h"
#include "app/theme/theme.h"
#include "base/error.h"
#include "base/srgb.h"

namespace ovrix::app {

namespace {

constexpr const char* kPointVertex = R"(#version 330 core
layout(location = 0) in vec3 place;
layout(location = 1) in vec3 ownColor;  // as screens have it; below 0 for the layer's
layout(location = 2) in float value;    // below 0 for none
layout(location = 3) in float size;     // metres; 0 for dots
layout(location = 4) in float shade;
uniform mat4 viewProjection;
uniform vec3 eye;
uniform float dotSize;
uniform float perMetre;   // pixels across a metre that is a metre away
uniform vec3 layerColor;
uniform vec3 heat[5];
out vec3 color;
flat out float ball;
void main() {
    ball = size > 0.0 ? 1.0 : 0.0;
    gl_Position = viewProjection * vec4(place, 1.0);
    gl_PointSize = size > 0.0 ? clamp(size * perMetre / max(length(place - eye), 1e-6), 1.0, 256.0) : dotSize;
    color = (ownColor.r < 0.0 ? layerColor : ownColor) * shade;
    if (value >= 0.0) {
        float at = clamp(value, 0.0, 1.0) * 4.0;
        int k = min(int(at), 3);
        color = mix(heat[k], heat[k + 1], at - float(k));
    }
}
)";

constexpr const char* kPointFragment = R"(#version 330 core
in vec3 color;
flat in float ball;
uniform bool lines;
uniform bool picking;
uniform vec3 pick;
uniform vec4 mark;
out vec4 result;
void main() {
    float shade = 1.0;
    if (ball > 0.5 && !lines) {
        vec2 from = gl_PointCoord * 2.0 - 1.0;
        float r2 = dot(from, from);
        if (r2 > 1.0) discard;
        shade = 0.55 + 0.45 * sqrt(1.0 - r2);
    }
    result = picking ? vec4(pick, 1.0) : vec4(mix(color * shade, mark.rgb, mark.a), 1.0);
}
)";

QVector3D vectorOf(const QColor& c) { return {float(c.redF()), float(c.greenF()), float(c.blueF())}; }
V3f onScreen(const V3f& c) { return {encodeSrgb(c.x), encodeSrgb(c.y), encodeSrgb(c.z)}; }

}  // namespace

void GlPoints::initialise() {
    if (!initializeOpenGLFunctions())
        throw Error("OpenGL 3.3 is missing", {}, "Install a newer graphics driver");
    linkProgram(program_, kPointVertex, kPointFragment);
}

void GlPoints::beginUpdate() {
    batches_.clear();
    for (auto& [key, b] : buffers_) b.used = false;
}

void GlPoints::endUpdate() {
    std::erase_if(buffers_, [](const auto& entry) { return !entry.second.used; });
}

void GlPoints::add(const std::string& layer, uint64_t key, const Color& color,
                   const std::function<deliver::PointsInView()>& points) {
    Buffer& b = buffers_[key];
    b.used = true;
    batches_.push_back({layer, key, color});
    if (b.vao.isCreated()) return;
    deliver::PointsInView view = points();
    for (auto& dot : view.dots)
        if (dot.color.x >= 0.0f) dot.color = onScreen(dot.color);
    b.count = view.dots.size(), b.lines = view.lines;
    b.legend = {view.channel, view.least, view.most};
    using Dot = deliver::PointsInView::Dot;
    b.vao.create();
    b.vao.bind();
    b.vertices.create();
    b.vertices.bind();
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(view.dots.size() * sizeof(Dot)), view.dots.data(),
                 GL_STATIC_DRAW);
    const auto attribute = [&](GLuint index, GLint count, size_t offset) {
        glEnableVertexAttribArray(index);
        glVertexAttribPointer(index, count, GL_FLOAT, GL_FALSE, sizeof(Dot), bufferOffset(offset));
    };
    attribute(0, 3, offsetof(Dot, place));
    attribute(1, 3, offsetof(Dot, color));
    attribute(2, 1, offsetof(Dot, value));
    attribute(3, 1, offsetof(Dot, size));
    attribute(4, 1, offsetof(Dot, shade));
    b.vao.release();
}

GlPoints::Legend GlPoints::legendOf(const std::string& layer) const {
    for (const Batch& batch : batches_)
        if (batch.layer == layer) return buffers_.at(batch.key).legend;
    return {};
}

void GlPoints::draw(const Batch& batch, const Settings& s) {
    Buffer& b = buffers_.at(batch.key);
    if (b.count == 0) return;
    program_.bind();
    program_.setUniformValue("viewProjection", s.viewProjection);
    program_.setUniformValue("eye", QVector3D(s.eye.x, s.eye.y, s.eye.z));
    program_.setUniformValue("dotSize", s.dotSize);
    program_.setUniformValue("perMetre", s.deviceRatio / std::max(s.pixelSize, 1e-9f));
    const V3f color = onScreen(V3f(batch.color));
    program_.setUniformValue("layerColor", QVector3D(color.x, color.y, color.z));
    QVector3D heat[5];
    for (int i = 0; i < 5; ++i) heat[i] = vectorOf(tokens().heat[i]);
    program_.setUniformValueArray("heat", heat, 5);
    program_.setUniformValue("lines", b.lines ? 1 : 0);
    program_.setUniformValue("picking", s.picking ? 1 : 0);
    program_.setUniformValue("pick", s.pick);
    program_.setUniformValue("mark", s.mark);
    b.vao.bind();
    glDrawArrays(b.lines ? GL_LINES : GL_POINTS, 0, GLsizei(std::min(b.count, s.most) & ~size_t(b.lines)));
    b.vao.release();
    program_.release();
}

}  // namespace ovrix::app
