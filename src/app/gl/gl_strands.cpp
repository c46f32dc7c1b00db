#include "app/gl/gl_strands.h"

#include "app/gl/gl_offset.h"
#include "app/gl/gl_shaders.h"
#include "base/error.h"

namespace ovrix::app {

namespace {

const char* kVertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in float along;
layout(location = 2) in float width;
layout(location = 3) in vec4 tangent;
layout(location = 4) in vec4 ownColor;
layout(location = 8) in vec4 look;  // what is worn there: its colour
uniform int worn;
uniform mat4 viewProjection;
uniform float dotSize;
out vec3 worldPosition;
out vec3 worldTangent;
out vec4 strandColor;
out float part;
out float wide;
void main() {
    worldPosition = position;
    worldTangent = tangent.xyz;
    strandColor = worn == 1 ? vec4(look.rgb, 1.0) : vec4(pow(ownColor.rgb, vec3(1.0 / 2.2)), ownColor.a);
    part = along;
    wide = width;
    gl_Position = viewProjection * vec4(position, 1.0);
    gl_PointSize = dotSize;
}
)";

/// What lines and ribbons have in common: colours are as the screen takes them.
const char* kFragmentHead = R"(#version 330 core
uniform vec3 eye;
uniform vec3 color;
uniform vec4 mark;   // of what is chosen: its colour, and how much of it
uniform vec3 pick;
uniform int mode;    // 0 lit, 1 pick, 2 plain
uniform float fade;
uniform vec3 toKey, keyLight, above, below;
uniform int drawn;         // whether it has a shadow of one colour in place of light
uniform vec3 shadowColor;
uniform float shadowEdge;  // light at which that ends; below 0 for none
out vec4 result;
/// Lighter, as all is that is lit in the view: dark fur must not swallow its shape.
vec3 baseOf(vec4 own) {
    return mix(own.a > 0.5 ? 0.16 + 0.72 * own.rgb : color, mark.rgb, mark.a);
}
/// Where it needs no light.
bool flatColor(vec4 own, vec3 t) {
    if (mode == 1) { result = vec4(pick, 1.0); return true; }
    if (mode == 2) { result = vec4(color, 1.0); return true; }
    if (drawn == 0) return false;
    float across = length(cross(t, toKey));  // as a thin cylinder takes it
    vec3 ink = mix(own.a > 0.5 ? own.rgb : color, mark.rgb, mark.a);
    result = vec4((across < shadowEdge ? shadowColor : ink) * fade, 1.0);
    return true;
}
)";

// Direction by the tangent (Kajiya and Kay, SIGGRAPH 89), depth by darker roots. Of strands much thinner than
// a pixel one stands for many: it is shaded as their mean, or a coat far away would be dots of light and
// dark.
const char* kFragment = R"(
in vec3 worldPosition;
in vec3 worldTangent;
in vec4 strandColor;
in float part;
in float wide;
uniform float pixelSize;
void main() {
    vec3 t = normalize(worldTangent + vec3(1e-6));
    if (flatColor(strandColor, t)) return;
    vec3 toEye = normalize(eye - worldPosition);
    vec3 key = toKey;
    float tl = dot(t, key), te = dot(t, toEye);
    float sl = sqrt(max(0.0, 1.0 - tl * tl)), se = sqrt(max(0.0, 1.0 - te * te));
    float shine = pow(max(0.0, sl * se - tl * te), 28.0);
    float sky = 0.5 + 0.5 * sqrt(max(0.0, 1.0 - t.y * t.y));
    vec3 base = baseOf(strandColor);
    float single = clamp(2.0 * wide / (pixelSize * max(length(eye - worldPosition), 1e-6)), 0.0, 1.0);
    float depth = mix(0.95, mix(0.35, 1.0, smoothstep(0.0, 0.8, part)), single);
    shine = mix(0.12, shine, single);
    sl = mix(0.85, sl, 0.4 + 0.6 * single);
    vec3 lit = base * (0.77 * below + 0.54 * above * sky + 0.95 * keyLight * sl) * depth +
               0.48 * keyLight * shine * depth;
    result = vec4(lit * fade, 1.0);
}
)";

const char* kRibbon = R"(#version 330 core
layout(lines) in;
layout(triangle_strip, max_vertices = 4) out;
in vec3 worldPosition[];
in vec3 worldTangent[];
in vec4 strandColor[];
in float part[];
in float wide[];
uniform mat4 viewProjection;
uniform vec3 eye;
uniform float pixelSize;
uniform float outlinePixels, outlineMetres;  // that it is drawn wider to each side, and as far behind
out vec3 worldPositionG;
out vec3 worldTangentG;
out vec4 strandColorG;
out float partG;
out float acrossG;
out vec3 sideG;
void main() {
    for (int i = 0; i < 2; ++i) {
        vec3 toEye = eye - worldPosition[i];
        vec3 side = cross(worldTangent[i], toEye);
        float l = length(side);
        side = l > 1e-9 ? side / l : vec3(1.0, 0.0, 0.0);
        float pixel = pixelSize * length(toEye), more = outlinePixels * pixel + outlineMetres;
        float half_ = 0.5 * max(wide[i], pixel) + more;
        vec3 behind = more > 0.0 ? -normalize(toEye) * half_ : vec3(0.0);
        for (int k = -1; k <= 1; k += 2) {
            worldPositionG = worldPosition[i] + side * (half_ * float(k));
            worldTangentG = worldTangent[i];
            strandColorG = strandColor[i];
            partG = part[i];
            acrossG = float(k);
            sideG = side;
            gl_Position = viewProjection * vec4(worldPositionG + behind, 1.0);
            EmitVertex();
        }
    }
    EndPrimitive();
}
)";

// Thick strands are lit as the tubes they are.
const char* kRibbonFragment = R"(
in vec3 worldPositionG;
in vec3 worldTangentG;
in vec4 strandColorG;
in float partG;
in float acrossG;
in vec3 sideG;
void main() {
    vec3 toEye = normalize(eye - worldPositionG);
    vec3 t = normalize(worldTangentG + vec3(1e-6));
    if (flatColor(strandColorG, t)) return;
    vec3 facing = normalize(toEye - t * dot(t, toEye) + vec3(1e-6));
    float a = clamp(acrossG, -1.0, 1.0);
    vec3 n = sideG * a + facing * sqrt(max(0.0, 1.0 - a * a));
    float key = max(dot(n, toKey), 0.0);
    vec3 base = baseOf(strandColorG);
    float depth = mix(0.6, 1.0, smoothstep(0.0, 0.5, partG));
    result = vec4(base * (below + 0.27 * above * (1.0 + n.y) + keyLight * key) * depth * fade, 1.0);
}
)";

}  // namespace

void GlStrands::initialise() {
    if (!initializeOpenGLFunctions())
        throw Error("OpenGL 3.3 is missing", {}, "Install a newer graphics driver");
    const std::string head = kFragmentHead;
    linkProgram(lines_, kVertex, (head + kFragment).c_str());
    linkProgram(ribbons_, kVertex, (head + kRibbonFragment).c_str(), kRibbon);
}

void GlStrands::upload(Buffers& b, const PackedStrands& packed, GLenum usage) {
    if (!b.vao.isCreated()) {
        b.vao.create();
        b.vertices.create();
        b.indices.create();
    }
    b.vao.bind();
    b.vertices.bind();
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(packed.vertices.size() * sizeof(StrandVertex)),
                 packed.vertices.data(), usage);
    std::vector<uint32_t> roots(packed.size());  // behind the segments: the first point of each strand
    for (size_t s = 0; s < roots.size(); ++s) roots[s] = packed.segments[s ? packed.segmentEnd[s - 1] : 0];
    const auto bytes = [](const std::vector<uint32_t>& v) { return GLsizeiptr(v.size() * sizeof(uint32_t)); };
    b.indices.bind();
    glBufferData(GL_ELEMENT_ARRAY_BUFFER, bytes(packed.segments) + bytes(roots), nullptr, usage);
    glBufferSubData(GL_ELEMENT_ARRAY_BUFFER, 0, bytes(packed.segments), packed.segments.data());
    glBufferSubData(GL_ELEMENT_ARRAY_BUFFER, bytes(packed.segments), bytes(roots), roots.data());
    const auto attribute = [&](GLuint index, GLint count, GLenum type, GLboolean normal, size_t offset) {
        glEnableVertexAttribArray(index);
        glVertexAttribPointer(index, count, type, normal, sizeof(StrandVertex), bufferOffset(offset));
    };
    attribute(0, 3, GL_FLOAT, GL_FALSE, offsetof(StrandVertex, p));
    attribute(1, 1, GL_FLOAT, GL_FALSE, offsetof(StrandVertex, along));
    attribute(2, 1, GL_FLOAT, GL_FALSE, offsetof(StrandVertex, width));
    attribute(3, 4, GL_BYTE, GL_TRUE, offsetof(StrandVertex, tangent));
    attribute(4, 4, GL_UNSIGNED_BYTE, GL_TRUE, offsetof(StrandVertex, color));
    glBindVertexArray(0);
    b.segmentEnd = packed.segmentEnd;
    b.wide = packed.wide;
}

void GlStrands::beginUpdate() {
    batches_.clear();
    for (auto& [hash, b] : buffers_) b.used = false;
}

void GlStrands::add(const Batch& batch, const PackedStrands& packed) {
    Buffers& b = buffers_[batch.hash];
    b.used = true;
    if (!b.vao.isCreated()) upload(b, packed, GL_STATIC_DRAW);
    batches_.push_back(batch);
}

void GlStrands::endUpdate() {
    std::erase_if(buffers_, [](const auto& entry) { return !entry.second.used; });
    segmentCount_ = 0;
    for (const Batch& batch : batches_)
        if (const Buffers& b = buffers_.at(batch.hash); batch.lines && !b.segmentEnd.empty())
            segmentCount_ += b.segmentEnd.back() / 2;
}

void GlStrands::setCombed(const std::string& layer, const PackedStrands* packed) {
    combedLayer_ = packed ? layer : std::string();
    if (!packed) return combed_.reset();
    if (!combed_) combed_ = std::make_unique<Buffers>();
    upload(*combed_, *packed, GL_STREAM_DRAW);
}

void GlStrands::draw(const Batch& batch, const DrawSettings& settings, const QVector3D& color) {
    Buffers& b = buffers_.at(batch.hash);
    if (b.segmentEnd.empty() || (batch.guides && batch.layer == combedLayer_)) return;
    const size_t all = segmentCount_, own = b.segmentEnd.size();
    size_t strands = own;
    if (all > settings.budget && !batch.guides)
        strands = std::max<size_t>(1, size_t(double(own) * double(settings.budget) / double(all)));
    drawBuffers(b, batch, settings, color, strands);
}

void GlStrands::drawCombed(const DrawSettings& settings, const QVector3D& color) {
    if (combedLayer_.empty() || !combed_ || combed_->segmentEnd.empty()) return;
    drawBuffers(*combed_, {.layer = combedLayer_, .color = Color(0.0f), .guides = true, .roots = true},
                settings, color, combed_->segmentEnd.size());
}

void GlStrands::drawBuffers(Buffers& b, const Batch& batch, const DrawSettings& settings,
                            const QVector3D& color, size_t strands) {
    const Drawn& drawn = settings.drawn;
    b.vao.bind();
    const bool worn = settings.looks && !batch.guides && settings.looks->bind(batch.layer, 0);
    const auto prepare = [&](QOpenGLShaderProgram& p, int mode) {
        p.bind();
        p.setUniformValue("outlinePixels", 0.0f);
        p.setUniformValue("outlineMetres", 0.0f);
        p.setUniformValue("drawn", drawn.flat && !batch.guides ? 1 : 0);
        p.setUniformValue("shadowColor", drawn.shadow);
        p.setUniformValue("shadowEdge", drawn.edge);
        p.setUniformValue("viewProjection", settings.viewProjection);
        p.setUniformValue("eye", QVector3D(settings.eye.x, settings.eye.y, settings.eye.z));
        p.setUniformValue("pixelSize", settings.pixelSize);
        p.setUniformValue("color", color);
        p.setUniformValue("worn", worn ? 1 : 0);
        p.setUniformValue("mark", batch.guides ? QVector4D() : settings.mark);
        p.setUniformValue("pick", settings.pick);
        const auto set = [&](const char* name, const V3f& v) {
            p.setUniformValue(name, QVector3D(v.x, v.y, v.z));
        };
        set("toKey", settings.light.direction);
        set("keyLight", settings.light.key);
        set("above", settings.light.above);
        set("below", settings.light.below);
        p.setUniformValue("mode", settings.picking ? 1 : mode);
        p.setUniformValue("fade", batch.guides ? 1.0f : settings.fade);
        p.setUniformValue("dotSize", settings.dotSize);
    };
    const auto drawLines = [&] {
        glDrawElements(GL_LINES, GLsizei(b.segmentEnd[strands - 1]), GL_UNSIGNED_INT, nullptr);
    };
    if (batch.lines && drawn.outlined() && !settings.picking && !batch.guides) {
        // Around all of the layer: what it hides of itself lies over it.
        if (!drawn.each) glDepthMask(GL_FALSE);
        prepare(ribbons_, 2);
        ribbons_.setUniformValue("color", drawn.line);
        ribbons_.setUniformValue("outlinePixels", drawn.pixels);
        ribbons_.setUniformValue("outlineMetres", drawn.metres);
        drawLines();
        ribbons_.release();
        glDepthMask(GL_TRUE);
    }
    if (batch.lines) {
        QOpenGLShaderProgram& program = b.wide && !batch.guides ? ribbons_ : lines_;
        prepare(program, 0);
        drawLines();
        program.release();
    }
    if (batch.roots && !settings.picking) {
        prepare(lines_, 2);
        glDrawElements(GL_POINTS, GLsizei(strands), GL_UNSIGNED_INT,
                       bufferOffset(size_t(b.segmentEnd.back()) * 4));
        lines_.release();
    }
    glBindVertexArray(0);
}

}  // namespace ovrix::app
