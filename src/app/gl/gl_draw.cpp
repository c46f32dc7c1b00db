// How the scene on the graphics card is drawn.
#include <QOpenGLContext>
#include <QOpenGLFunctions>

#include "app/gl/gl_offset.h"
#include "app/gl/gl_scene.h"
#include "app/theme/theme.h"
#include "base/srgb.h"

namespace ovrix::app {

namespace {

QVector3D asVector(const QColor& c) { return {float(c.redF()), float(c.greenF()), float(c.blueF())}; }
QVector3D asVector(const V3f& v) { return {v.x, v.y, v.z}; }

QMatrix4x4 asMatrix(const M44f& m) {  // row vectors to column vectors
    QMatrix4x4 q;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) q(r, c) = m[c][r];
    return q;
}

/// As the screen takes it.
QVector3D encoded(const Color& c) {
    const auto of = [](float x) { return encodeSrgb(std::clamp(x, 0.0f, 1.0f)); };
    return {of(c.x), of(c.y), of(c.z)};
}

/// The value of an attribute that no array gives.
void setFixed(GLuint index, float x, float y, float z, float w) {
    const float v[4] = {x, y, z, w};
    QOpenGLContext::currentContext()->functions()->glVertexAttrib4fv(index, v);
}

}  // namespace

void GlScene::bindLook(const std::string& key, GLuint divisor) {
    program_.setUniformValue("worn", looks_.bind(key, divisor) ? 1 : 0);
}

void GlScene::bindDrawn(const std::string& wearer) {
    const auto it = drawn_.find(wearer);
    const bool drawn = it != drawn_.end() && it->second.drawn;
    program_.setUniformValue("drawn", drawn ? 1 : 0);
    if (!drawn) return;
    program_.setUniformValue("shadowColor", encoded(it->second.shadow));
    program_.setUniformValue("shadowEdge", it->second.edge > 0.0f ? it->second.edge : -2.0f);
}

/// How wide a line is that is not counted in metres.
static float linePixels(const document::DrawnLook& look, const GlScene::Options& o) {
    return look.unit == render::Contours::Unit::Pixels ? look.width : look.width * 0.001f * o.pictureHeight;
}

/// The contours of what wears a material, null where it has none.
const document::DrawnLook* GlScene::linesOf(const std::string& wearer, const Options& o) const {
    const auto it = drawn_.find(wearer);
    return o.picking || it == drawn_.end() || !(it->second.width > 0.0f) ? nullptr : &it->second;
}

/// Where a thing was drawn, its pixels are marked with a number of its own.
template <class Draw>
void GlScene::drawMarked(const Draw& draw) {
    constexpr int kMost = 255;
    if (++mark_ > kMost) glClear(GL_STENCIL_BUFFER_BIT), mark_ = 1;
    glEnable(GL_STENCIL_TEST);
    glStencilFunc(GL_ALWAYS, mark_, 0xff);
    glStencilOp(GL_KEEP, GL_KEEP, GL_REPLACE);
    draw();
    glStencilOp(GL_KEEP, GL_KEEP, GL_KEEP);
    glDisable(GL_STENCIL_TEST);
}

template <class Draw>
void GlScene::drawOutlined(const std::string& wearer, const Options& o, float away, bool mirrored, bool many,
                           const Draw& draw) {
    const document::DrawnLook* look = linesOf(wearer, o);
    if (!look) return draw();
    drawMarked(draw);
    const float pixels = look->unit == render::Contours::Unit::Metres
                             ? look->width / (o.pixelSize * std::max(away, 1e-4f))
                             : linePixels(*look, o);
    program_.setUniformValue("outline", 0.5f * pixels);
    program_.setUniformValue("viewport", QVector2D(float(o.size.width()), float(o.size.height())));
    program_.setUniformValue("lineColor", encoded(look->color));
    program_.setUniformValue("mode", 2);
    glEnable(GL_CULL_FACE);
    glCullFace(mirrored ? GL_BACK : GL_FRONT);
    glEnable(GL_STENCIL_TEST);
    const auto backs = [&](GLenum where, float behind) {
        glStencilFunc(where, mark_, 0xff);
        program_.setUniformValue("behind", behind);
        draw();
    };
    const bool each = many && look->elements;
    if (look->objects) backs(GL_NOTEQUAL, 0.0f);
    if (each) backs(GL_EQUAL, 0.0f);
    if (!each && look->jump > 0.0f) backs(GL_EQUAL, look->jump);
    glDisable(GL_STENCIL_TEST);
    glDisable(GL_CULL_FACE);
    program_.setUniformValue("mode", 0);
    program_.setUniformValue("outline", 0.0f);
    program_.setUniformValue("behind", 0.0f);
}

template <class Bind, class Draw, class Release>
void GlScene::drawEdges(const std::string& wearer, const std::string& object, const Options& o,
                        const QMatrix4x4& model, const Bind& bind, const Draw& draw, const Release& release) {
    const document::DrawnLook* look = linesOf(wearer, o);
    if (!look) return;
    const auto found = edges_.find({object, wearer});
    if (found == edges_.end() || found->second.count == 0) return;
    const bool metres = look->unit == render::Contours::Unit::Metres;
    edgeLines_.bind();
    edgeLines_.setUniformValue("viewProjection", o.viewProjection);
    edgeLines_.setUniformValue("eye", asVector(o.eye));
    edgeLines_.setUniformValue("model", model);
    edgeLines_.setUniformValue("outline", 0.0f);
    edgeLines_.setUniformValue("behind", 0.0f);
    edgeLines_.setUniformValue("pixelSize", o.pixelSize);
    edgeLines_.setUniformValue("pixels", metres ? 0.0f : 0.5f * linePixels(*look, o));
    edgeLines_.setUniformValue("metres", metres ? 0.5f * look->width : 0.0f);
    edgeLines_.setUniformValue("color", encoded(look->color));
    const auto inner = GLsizei(found->second.of.lines->inner);
    found->second.vao.bind();
    bind();
    draw(0, inner);
    // Where the thing ends, its line lies beside it, or on what of itself lies further back.
    const auto outer = [&](GLenum where, float behind) {
        glStencilFunc(where, mark_, 0xff);
        edgeLines_.setUniformValue("behind", behind);
        draw(inner, found->second.count - inner);
    };
    glEnable(GL_STENCIL_TEST);
    if (look->objects) outer(GL_NOTEQUAL, 0.0f);
    if (look->jump > 0.0f) outer(GL_EQUAL, look->jump);
    glDisable(GL_STENCIL_TEST);
    release();
    program_.bind();
}

int GlScene::pickNumber(const std::string& id) {
    const auto it = std::find(pickIds_.begin(), pickIds_.end(), id);
    if (it != pickIds_.end()) return int(it - pickIds_.begin());
    pickIds_.push_back(id);
    return int(pickIds_.size()) - 1;
}

void GlScene::setColor(const Color& color, bool selected) {
    const V3f accent(float(tokens().seaGlass.redF()), float(tokens().seaGlass.greenF()),
                     float(tokens().seaGlass.blueF()));
    program_.setUniformValue("color", asVector(V3f(color)));
    program_.setUniformValue("mark", QVector4D(accent.x, accent.y, accent.z, selected ? 0.45f : 0.0f));
}

void GlScene::bindInstances(BatchBuffer& batch, GLuint divisor) {
    struct Part {
        GLuint index;
        GLint length;
        size_t offset;
    };
    static const Part parts[] = {{3, 4, 0}, {4, 4, 16}, {5, 3, 32}, {6, 3, 44}, {7, 3, 56}};
    const GLsizei stride = batch.shaped ? 68 : 32;
    batch.buffer.bind();
    setFixed(5, 1, 1, 1, 1);
    setFixed(6, 0, 1, 1, 1);
    setFixed(7, 1, 1, 1, 1);
    for (const Part& part : parts) {
        if (part.index > 4 && !batch.shaped) continue;
        glEnableVertexAttribArray(part.index);
        glVertexAttribPointer(part.index, part.length, GL_FLOAT, GL_FALSE, stride, bufferOffset(part.offset));
        glVertexAttribDivisor(part.index, divisor);
    }
}

void GlScene::releaseInstances() {
    for (GLuint i = 3; i < 10; ++i) {
        glDisableVertexAttribArray(i);
        glVertexAttribDivisor(i, 0);
    }
}

/// A dot is one vertex at the copy's place: instances of a single point.
void GlScene::drawDots(const CopyBatch& batch, BatchBuffer& b) {
    program_.setUniformValue("model", QMatrix4x4());
    dotVao_.bind();
    bindInstances(b, 0);
    bindLook(batch.look, 0);
    setFixed(0, 0, 0, 0, 1);
    setFixed(1, 0, 0, 0, 0);
    setFixed(2, -1, 0, 0, 1);
    glDrawArrays(GL_POINTS, 0, GLsizei(b.count));
    releaseInstances();
}

void GlScene::drawBoxes(const CopyBatch& batch, BatchBuffer& b, const Box3f& box, const M44f& own) {
    QMatrix4x4 model = asMatrix(own);
    model.translate(asVector(box.min));
    model.scale(asVector(box.size()));
    program_.setUniformValue("model", model);
    boxVao_.bind();
    bindInstances(b, 1);
    bindLook(batch.look, 1);
    setFixed(2, -1, 0, 0, 1);
    glDrawArraysInstanced(GL_TRIANGLES, 0, 36, GLsizei(b.count));
    releaseInstances();
    trianglesDrawn_ += b.count * 12;
}

void GlScene::drawBatch(const CopyBatch& batch, const Options& o) {
    BatchBuffer& b = buffers_.at(batch.hash);
    if (b.count == 0) return;
    const Color color = colors_.count(batch.layer)    ? colors_[batch.layer]
                        : colors_.count(batch.object) ? colors_[batch.object]
                                                      : Color(0.6f);
    setColor(color, o.selected == batch.layer);
    program_.setUniformValue("drawn", 0);
    const int number = pickNumber(batch.layer);
    program_.setUniformValue("pick", QVector3D(float(number & 255) / 255.0f, float(number >> 8) / 255.0f, 0));
    const auto m = meshes_.find(batch.meshHash);
    const M44f own = prototypeMatrix_.count(batch.object) ? prototypeMatrix_[batch.object] : M44f();
    if (batch.level == DrawLevel::Dots || m == meshes_.end()) return drawDots(batch, b);
    if (batch.level == DrawLevel::Boxes) return drawBoxes(batch, b, m->second.bounds, own);
    program_.setUniformValue("model", asMatrix(own));
    m->second.vao.bind();
    bindInstances(b, 1);
    bindLook(batch.look, 1);
    glDisableVertexAttribArray(2);
    setFixed(2, -1, 0, 0, 1);
    const bool coarse = batch.level == DrawLevel::Coarse;
    // A material of the layer stands for those of its prototypes.
    const std::string& wearer = colors_.count(batch.layer) ? batch.layer : batch.object;
    bindDrawn(wearer);
    const auto draw = [&] {
        glDrawElementsInstanced(GL_TRIANGLES, coarse ? m->second.coarseCount : m->second.count,
                                GL_UNSIGNED_INT, bufferOffset(coarse ? size_t(m->second.count) * 4 : 0),
                                GLsizei(b.count));
    };
    drawOutlined(wearer, o, o.eye.length(), false, true, draw);
    trianglesDrawn_ += b.count * size_t(coarse ? m->second.coarseCount : m->second.count) / 3;
    releaseInstances();
    if (m->second.heatHash) glEnableVertexAttribArray(2);
    drawEdges(
        wearer, batch.object, o, asMatrix(own), [&] { bindInstances(b, 1); },
        [&](GLint first, GLsizei count) { glDrawArraysInstanced(GL_LINES, first, count, GLsizei(b.count)); },
        [&] { releaseInstances(); });
}

void GlScene::setUniforms(const Options& o) {
    program_.setUniformValue("viewProjection", o.viewProjection);
    program_.setUniformValue("eye", asVector(o.eye));
    program_.setUniformValue("mode", o.picking ? 1 : 0);
    program_.setUniformValue("outline", 0.0f);
    program_.setUniformValue("behind", 0.0f);
    program_.setUniformValue("dotSize", o.dotSize);
    program_.setUniformValue("zone", o.zone);
    program_.setUniformValue("toKey", asVector(o.light.direction));
    program_.setUniformValue("keyLight", asVector(o.light.key));
    program_.setUniformValue("above", asVector(o.light.above));
    program_.setUniformValue("below", asVector(o.light.below));
    QVector3D heat[5];
    for (int i = 0; i < 5; ++i) heat[i] = asVector(tokens().heat[i]);
    program_.setUniformValueArray("heatColors", heat, 5);
}

void GlScene::drawObject(const ObjectDraw& object, const Options& o) {
    MeshBuffers& b = meshes_.at(object.mesh);
    setColor(object.color, o.selected == object.id && !object.overlay);
    const int number = pickNumber(object.id);
    program_.setUniformValue("pick", QVector3D(float(number & 255) / 255.0f, float(number >> 8) / 255.0f, 0));
    program_.setUniformValue("model", asMatrix(object.world));
    b.vao.bind();
    if (object.overlay)
        glEnableVertexAttribArray(2);
    else
        glDisableVertexAttribArray(2), setFixed(2, -1, 0, 0, 1);
    setFixed(3, 0, 0, 0, 1);
    setFixed(4, 0, 0, 0, 1);
    setFixed(5, 1, 1, 1, 1);
    setFixed(6, 0, 1, 1, 1);
    setFixed(7, 1, 1, 1, 1);
    bindLook(object.id, 0);
    const bool coarse = o.moving && software_ && b.count > 60000;
    bindDrawn(object.overlay ? std::string() : object.id);
    const auto draw = [&] {
        glDrawElements(GL_TRIANGLES, coarse ? b.coarseCount : b.count, GL_UNSIGNED_INT,
                       bufferOffset(coarse ? size_t(b.count) * 4 : 0));
    };
    const V3f place(object.world[3][0], object.world[3][1], object.world[3][2]);
    drawOutlined(object.id, o, (place - o.eye).length(), object.world.determinant() < 0, false, draw);
    drawEdges(
        object.id, object.id, o, asMatrix(object.world), [] {},
        [&](GLint first, GLsizei count) { glDrawArrays(GL_LINES, first, count); }, [] {});
    trianglesDrawn_ += size_t(coarse ? b.coarseCount : b.count) / 3;
}

/// What is seen through, or all else.
void GlScene::drawAll(const Options& o, bool clear) {
    program_.bind();
    setUniforms(o);
    for (const ObjectDraw& object : objects_)
        if (looks_.clear(object.id) == clear) drawObject(object, o);
    for (const CopyBatch& b : batches_)
        if (!o.objectsOnly && looks_.clear(b.look) == clear) drawBatch(b, o);
    glBindVertexArray(0);
    program_.release();
}

/// What is seen through comes last, over what lies behind it.
void GlScene::draw(const Options& o) {
    if (!ready_) return;
    trianglesDrawn_ = 0;
    mark_ = 0;
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_PROGRAM_POINT_SIZE);
    const size_t budget = software_ ? (o.moving ? 120'000 : 1'200'000) : (o.moving ? 4'000'000 : 20'000'000);
    chooseLevels(batches_, budget);
    drawAll(o, false);
    if (!o.objectsOnly) drawStrands(o), drawPoints(o);
    if (!o.picking) {
        glEnable(GL_BLEND);
        glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE);
    }
    drawAll(o, true);
    glDisable(GL_BLEND);
}

/// How the strands of a layer are drawn.
GlStrands::Drawn GlScene::drawnStrands(const std::string& layer, const Options& o) const {
    GlStrands::Drawn out;
    const auto it = drawn_.find(layer);
    if (it == drawn_.end()) return out;
    const document::DrawnLook& look = it->second;
    out.flat = look.drawn;
    if (look.edge > 0.0f) out.edge = look.edge;
    out.lit = encoded(look.lit), out.shadow = encoded(look.shadow), out.line = encoded(look.color);
    out.each = look.elements;
    if (look.unit == render::Contours::Unit::Metres)
        out.metres = 0.5f * look.width;
    else
        out.pixels = 0.5f * linePixels(look, o);
    return out;
}

void GlScene::drawPoints(const Options& o) {
    GlPoints::Settings s;
    s.viewProjection = o.viewProjection, s.eye = o.eye;
    s.dotSize = o.dotSize, s.pixelSize = o.pixelSize;
    s.picking = o.picking;
    s.most = software_ ? (o.moving ? 200'000 : 4'000'000) : (o.moving ? 10'000'000 : 100'000'000);
    for (const GlPoints::Batch& batch : points_.batches()) {
        const int number = pickNumber(batch.layer);
        s.pick = QVector3D(float(number & 255) / 255.0f, float(number >> 8) / 255.0f, 0);
        const bool marked = o.selected == batch.layer && points_.legendOf(batch.layer).channel.empty();
        s.mark = QVector4D(asVector(tokens().seaGlass), marked ? 0.3f : 0.0f);
        points_.draw(batch, s);
    }
}

void GlScene::drawStrands(const Options& o) {
    GlStrands::DrawSettings settings;
    settings.viewProjection = o.viewProjection;
    settings.eye = o.eye;
    settings.pixelSize = o.pixelSize;
    settings.picking = o.picking;
    settings.light = o.light;
    settings.looks = &looks_;
    settings.dotSize = 2.0f * o.dotSize;
    settings.budget = software_ ? (o.moving ? 150'000 : 2'500'000) : (o.moving ? 4'000'000 : 40'000'000);
    const V3f accent(float(tokens().seaGlass.redF()), float(tokens().seaGlass.greenF()),
                     float(tokens().seaGlass.blueF()));
    const bool guided = hasGuides(o.combing);
    for (GlStrands::Batch batch : strands_.batches()) {
        const int number = pickNumber(batch.layer);
        settings.pick = QVector3D(float(number & 255) / 255.0f, float(number >> 8) / 255.0f, 0);
        const bool combed = batch.layer == o.combing;
        settings.fade = combed && guided ? 0.35f : 1.0f;
        settings.drawn = combed ? GlStrands::Drawn() : drawnStrands(batch.layer, o);
        if (combed && batch.guides) batch.lines = batch.roots = true;
        const bool marked = o.selected == batch.layer && !combed;
        const QVector3D ink = settings.drawn.flat ? settings.drawn.lit : asVector(V3f(batch.color));
        settings.mark = QVector4D(asVector(accent), marked ? 0.3f : 0.0f);
        // While guides are combed they are seen through the coat that lies between them.
        glDepthMask(combed && guided && !batch.guides ? GL_FALSE : GL_TRUE);
        strands_.draw(batch, settings, batch.guides ? asVector(tokens().sand) : ink);
    }
    glDepthMask(GL_TRUE);
    strands_.drawCombed(settings, asVector(tokens().sand));
}

bool GlScene::hasGuides(const std::string& layer) const {
    return std::any_of(strands_.batches().begin(), strands_.batches().end(),
                       [&](const GlStrands::Batch& b) { return b.guides && b.layer == layer; });
}

void GlScene::drawGrid(const QMatrix4x4& viewProjection, const V3f& eye, float step) {
    if (!ready_) return;
    std::vector<float> data;
    constexpr int kLines = 40;
    const float cx = std::round(eye.x / (step * 10)) * step * 10,
                cz = std::round(eye.z / (step * 10)) * step * 10, reach = step * kLines;
    for (int i = -kLines; i <= kLines; ++i) {
        const float strength = i % 10 == 0 ? 0.5f : 0.2f;
        for (int part = -4; part < 4; ++part) {  // short pieces, so that they fade with distance
            const float a = reach * float(part) / 4.0f, b = reach * float(part + 1) / 4.0f,
                        k = float(i) * step;
            data.insert(data.end(), {cx + k, 0, cz + a, strength, cx + k, 0, cz + b, strength, cx + a, 0,
                                     cz + k, strength, cx + b, 0, cz + k, strength});
        }
    }
    glEnable(GL_DEPTH_TEST);
    glDepthMask(GL_FALSE);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    lines_.bind();
    lines_.setUniformValue("viewProjection", viewProjection);
    lines_.setUniformValue("eye", asVector(eye));
    lines_.setUniformValue("reach", reach + std::abs(eye.y));
    lines_.setUniformValue("color", asVector(tokens().muted));
    gridVao_.bind();
    gridBuffer_.bind();
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(data.size() * sizeof(float)), data.data(), GL_STREAM_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 4, GL_FLOAT, GL_FALSE, 16, nullptr);
    glDrawArrays(GL_LINES, 0, GLsizei(data.size() / 4));
    glBindVertexArray(0);
    lines_.release();
    glDisable(GL_BLEND);
    glDepthMask(GL_TRUE);
}

}  // namespace ovrix::app
