#include "app/gl/gl_scene.h"

#include <QOpenGLContext>
#include <QOpenGLFunctions>

#include "app/gl/gl_offset.h"
#include "app/gl/gl_shaders.h"
#include "app/theme/theme.h"
#include "base/error.h"
#include "base/hash.h"
#include "eval/prototype.h"

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

/// Lighter, since the view is for seeing shapes: dark rock must not swallow them.
Color lifted(const Color& c) {
    const auto lift = [](float x) {
        return 0.16f + 0.72f * std::pow(std::clamp(x, 0.0f, 1.0f), 1.0f / 2.2f);
    };
    return Color(lift(c.x), lift(c.y), lift(c.z));
}

/// A colour that reads in the view.
Color materialColor(const Document& document, const std::string& id) {
    const Node* node = document.find(id);
    const NodeType* type = node ? findNodeType(node->type) : nullptr;
    return type && type->color ? lifted(type->color(document, *node)) : Color(0.42f, 0.44f, 0.45f);
}

/// The value of an attribute that no array gives.
void setFixed(GLuint index, float x, float y, float z, float w) {
    const float v[4] = {x, y, z, w};
    QOpenGLContext::currentContext()->functions()->glVertexAttrib4fv(index, v);
}

}  // namespace

GlScene::~GlScene() = default;

void GlScene::initialise() {
    if (!initializeOpenGLFunctions())
        throw Error("OpenGL 3.3 is missing", {}, "Install a newer graphics driver");
    const QString renderer = reinterpret_cast<const char*>(glGetString(GL_RENDERER));
    software_ = renderer.contains("llvmpipe") || renderer.contains("softpipe") || renderer.contains("swrast");
    linkProgram(program_, kSceneVertex, kSceneFragment);
    linkProgram(lines_, kGridVertex, kGridFragment);
    strands_.initialise();
    looks_.initialise();
    // A box from 0 to 1, two triangles a side, with normals.
    std::vector<float> box;
    for (int axis = 0; axis < 3; ++axis)
        for (int side = 0; side < 2; ++side) {
            V3f n(0.0f), u(0.0f), v(0.0f);
            n[axis] = side ? 1.0f : -1.0f;
            u[(axis + 1) % 3] = 1.0f;
            v[(axis + 2) % 3] = 1.0f;
            V3f o(0.0f);
            o[axis] = float(side);
            for (const V3f& p : {o, o + u, o + u + v, o, o + u + v, o + v})
                box.insert(box.end(), {p.x, p.y, p.z, n.x, n.y, n.z});
        }
    for (QOpenGLVertexArrayObject* array : {&boxVao_, &dotVao_, &gridVao_}) array->create();
    for (QOpenGLBuffer* buffer : {&boxBuffer_, &gridBuffer_}) buffer->create();
    boxVao_.bind();
    boxBuffer_.bind();
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(box.size() * sizeof(float)), box.data(), GL_STATIC_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 24, nullptr);
    glEnableVertexAttribArray(1);
    glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, 24, bufferOffset(12));
    glBindVertexArray(0);
    ready_ = true;
}

GlScene::MeshBuffers& GlScene::meshBuffers(const ObjectView& object) {
    const Mesh& mesh = *object.mesh;
    MeshBuffers& b = meshes_[object.hash];
    b.used = true;
    if (b.vao.isCreated()) return b;
    std::vector<V3f> vertices(mesh.cornerPoint.size() * 2);
    const auto n = mesh.normals();
    for (size_t c = 0; c < mesh.cornerPoint.size(); ++c) {
        vertices[2 * c] = mesh.cornerPosition(uint32_t(c));
        vertices[2 * c + 1] = n[c];
    }
    std::vector<uint32_t> indices;
    indices.reserve(mesh.triangles().size() * 3 + object.coarse->size());
    for (const Triangle& t : mesh.triangles()) indices.insert(indices.end(), t.begin(), t.end());
    b.count = GLsizei(indices.size());
    b.coarseCount = GLsizei(object.coarse->size());
    indices.insert(indices.end(), object.coarse->begin(), object.coarse->end());
    b.bounds = mesh.bounds();
    b.vao.create();
    b.vertices.create();
    b.indices.create();
    b.vao.bind();
    b.vertices.bind();
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(vertices.size() * sizeof(V3f)), vertices.data(), GL_STATIC_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 24, nullptr);
    glEnableVertexAttribArray(1);
    glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, 24, bufferOffset(12));
    b.indices.bind();
    glBufferData(GL_ELEMENT_ARRAY_BUFFER, GLsizeiptr(indices.size() * 4), indices.data(), GL_STATIC_DRAW);
    glBindVertexArray(0);
    return b;
}

void GlScene::setHeat(MeshBuffers& b, const Overlay* overlay) {
    b.vao.bind();
    if (!overlay) {
        glDisableVertexAttribArray(2);
    } else {
        if (!b.heat.isCreated()) b.heat.create();
        b.heat.bind();
        if (b.heatHash != overlay->hash)
            glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(overlay->values.size() * sizeof(float)),
                         overlay->values.data(), GL_DYNAMIC_DRAW);
        b.heatHash = overlay->hash;
        glEnableVertexAttribArray(2);
        glVertexAttribPointer(2, 1, GL_FLOAT, GL_FALSE, 4, nullptr);
    }
    glBindVertexArray(0);
}

void GlScene::bindLook(const std::string& key, GLuint divisor) {
    program_.setUniformValue("worn", looks_.bind(key, divisor) ? 1 : 0);
}

void GlScene::addBatches(const EvalSnapshot& snapshot, const Node& layer, const Copies& copies) {
    const auto& result = snapshot.layers.at(layer.id);
    for (size_t k = 0; k < copies.prototypes.size(); ++k) {
        const auto object = snapshot.objects.find(copies.prototypes[k]);
        if (object == snapshot.objects.end()) continue;
        Hasher h;
        h.add(result.hash).add(uint64_t(k));
        BatchBuffer& b = buffers_[h.value()];
        b.used = true;
        if (!b.buffer.isCreated()) {
            const PackedCopies packed = packedCopies(copies, int32_t(k));
            const std::vector<float>& data = packed.data;
            b.count = packed.size();
            b.shaped = packed.shaped;
            b.buffer.create();
            b.buffer.bind();
            glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(data.size() * sizeof(float)), data.data(),
                         GL_STATIC_DRAW);
        }
        looks_.use(snapshot, deliver::wornKey(layer.id, k), b.count);
        const MeshBuffers& mesh = meshBuffers(object->second);
        batches_.push_back({.layer = layer.id,
                            .object = object->first,
                            .look = deliver::wornKey(layer.id, k),
                            .meshHash = object->second.hash,
                            .hash = h.value(),
                            .count = b.count,
                            .triangles = size_t(mesh.count) / 3,
                            .coarseTriangles = size_t(mesh.coarseCount) / 3});
        const auto as = snapshot.document.value(layer.id, kLayer.showAs);
        if (as == "auto") continue;
        batches_.back().fixed = true;
        batches_.back().level = as == "boxes"  ? DrawLevel::Boxes
                                : as == "dots" ? DrawLevel::Dots
                                               : DrawLevel::Meshes;
    }
}

/// Points without prototypes yet: dots.
void GlScene::addPoints(const EvalSnapshot& snapshot, const Node& layer, const AttributeSet& points) {
    const uint64_t hash = snapshot.layers.at(layer.id).hash;
    BatchBuffer& b = buffers_[hash];
    b.used = true;
    if (!b.buffer.isCreated()) {
        const PackedCopies packed = packedPoints(points);
        const std::vector<float>& data = packed.data;
        b.count = packed.size();
        b.shaped = packed.shaped;
        b.buffer.create();
        b.buffer.bind();
        glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(data.size() * sizeof(float)), data.data(), GL_STATIC_DRAW);
    }
    batches_.push_back({.layer = layer.id, .hash = hash, .count = b.count, .level = DrawLevel::Dots});
}

/// What the layer makes of strands, and the guides between which they lie, by the layer's switches.
void GlScene::addStrands(const EvalSnapshot& snapshot, const Node& layer) {
    const Document& d = snapshot.document;
    const auto flag = [&](const char* id) { return std::get<bool>(d.value(layer.id, id)); };
    const auto guides = snapshot.guides.find(layer.id), all = snapshot.strands.find(layer.id);
    const bool between = guides != snapshot.guides.end();
    const auto material = d.value(layer.id, kLayer.material);
    if (all != snapshot.strands.end())
        strands_.add({.layer = layer.id,
                      .hash = all->second.hash,
                      .color = materialColor(d, material),
                      .roots = flag("show_roots") && !between,
                      .lines = flag("show_fill")},
                     *all->second.packed);
    if (between)
        strands_.add({.layer = layer.id,
                      .hash = guides->second.hash,
                      .color = Color(0.0f),
                      .guides = true,
                      .roots = flag("show_roots"),
                      .lines = flag("show_guides")},
                     *guides->second.packed);
}

void GlScene::setDrawn(const EvalSnapshot& snapshot, const std::string& wearer, const std::string& material) {
    const Document& d = snapshot.document;
    const Node* node = d.find(material);
    const NodeType* type = node ? findNodeType(node->type) : nullptr;
    if (type && type->look)
        drawn_[wearer] = type->look(d, *node, 0);
    else
        drawn_.erase(wearer);
}

template <class Draw>
void GlScene::drawContour(const std::string& wearer, const Options& o, float away, bool mirrored,
                          const Draw& draw) {
    const auto it = drawn_.find(wearer);
    if (o.picking || it == drawn_.end() || !(it->second.width > 0.0f)) return;
    GLint view[4];
    glGetIntegerv(GL_VIEWPORT, view);
    const float width = it->second.width;
    const float pixels = it->second.unit == document::DrawnLook::Unit::Pixels ? width
                         : it->second.unit == document::DrawnLook::Unit::Picture
                             ? width * 0.001f * float(view[3])
                             : width / (o.pixelSize * std::max(away, 1e-4f));
    program_.setUniformValue("outline", 0.5f * pixels);
    program_.setUniformValue("viewport", QVector2D(float(view[2]), float(view[3])));
    program_.setUniformValue("lineColor", asVector(V3f(it->second.color)));
    program_.setUniformValue("mode", 2);
    glEnable(GL_CULL_FACE);
    glCullFace(mirrored ? GL_BACK : GL_FRONT);
    draw();
    glDisable(GL_CULL_FACE);
    program_.setUniformValue("mode", 0);
    program_.setUniformValue("outline", 0.0f);
}

void GlScene::addObject(const EvalSnapshot& snapshot, const Node& node, const Overlay* overlay) {
    const Document& d = snapshot.document;
    const auto o = snapshot.objects.find(node.id);
    if (o == snapshot.objects.end()) return;
    std::string material = d.value(node.id, kObject.object.material);
    if (material.empty() && findSpec(specsOf(node), kObject.slots.id())) {
        const Refs slots = d.value(node.id, kObject.slots);
        if (!slots.empty()) material = slots[0];
    }
    colors_[node.id] = materialColor(d, material);
    setDrawn(snapshot, node.id, material);
    prototypeMatrix_[node.id] = prototypeMatrix(d, node.id, 0);
    if (!node.shown) return;
    MeshBuffers& buffers = meshBuffers(o->second);
    const bool heated = overlay && overlay->surface == node.id &&
                        overlay->values.size() == o->second.mesh->cornerPoint.size();
    setHeat(buffers, heated ? overlay : nullptr);
    looks_.use(snapshot, node.id, o->second.mesh->cornerPoint.size());
    objects_.push_back({.id = node.id,
                        .surfaceOf = {},
                        .mesh = o->second.hash,
                        .world = o->second.world,
                        .color = colors_[node.id],
                        .overlay = heated});
}

void GlScene::addLayer(const EvalSnapshot& snapshot, const Node& node) {
    const Document& d = snapshot.document;
    const auto r = snapshot.layers.find(node.id);
    if (!node.shown || r == snapshot.layers.end()) return;
    const auto material = d.value(node.id, kLayer.material);
    if (!material.empty()) {
        colors_[node.id] = materialColor(d, material);
        setDrawn(snapshot, node.id, material);
    }
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&r->second.geometry)) {
        if ((*c)->prototypes.empty())  // nothing to copy was chosen yet
            addPoints(snapshot, node, (*c)->attributes);
        else
            addBatches(snapshot, node, **c);
    }
    if (auto* p = std::get_if<std::shared_ptr<const PointSet>>(&r->second.geometry))
        addPoints(snapshot, node, (*p)->attributes);
    addStrands(snapshot, node);
    if (const auto m = snapshot.layerMeshes.find(node.id); m != snapshot.layerMeshes.end()) {
        setHeat(meshBuffers(m->second), nullptr);
        objects_.push_back({.id = node.id,
                            .surfaceOf = {},
                            .mesh = m->second.hash,
                            .world = M44f(),
                            .color = materialColor(d, material),
                            .overlay = false});
    }
}

void GlScene::update(const EvalSnapshot& snapshot) {
    if (!ready_) return;
    strands_.beginUpdate();
    looks_.beginUpdate();
    for (auto& [h, m] : meshes_) m.used = false;
    for (auto& [h, b] : buffers_) b.used = false;
    objects_.clear();
    batches_.clear();
    colors_.clear();
    prototypeMatrix_.clear();
    pickIds_ = {""};
    const Document& d = snapshot.document;
    const Overlay* overlay =
        snapshot.overlay && snapshot.overlay->error.empty() && !snapshot.overlay->values.empty()
            ? &*snapshot.overlay
            : nullptr;
    for (const NodePtr& node : d.nodes(Category::Object)) addObject(snapshot, *node, overlay);
    for (const NodePtr& node : d.nodes(Category::Layer)) addLayer(snapshot, *node);
    strands_.endUpdate();
    looks_.endUpdate();
    dropUnused();
}

void GlScene::dropUnused() {
    std::erase_if(meshes_, [](const auto& entry) { return !entry.second.used; });
    std::erase_if(buffers_, [](const auto& entry) { return !entry.second.used; });
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
    if (batch.level == DrawLevel::Dots || m == meshes_.end()) {
        // A dot is one vertex at the copy's place: instances of a single point.
        program_.setUniformValue("model", QMatrix4x4());
        dotVao_.bind();
        bindInstances(b, 0);
        bindLook(batch.look, 0);
        setFixed(0, 0, 0, 0, 1);
        setFixed(1, 0, 0, 0, 0);
        setFixed(2, -1, 0, 0, 1);
        glDrawArrays(GL_POINTS, 0, GLsizei(b.count));
        releaseInstances();
        return;
    }
    if (batch.level == DrawLevel::Boxes) {
        QMatrix4x4 model = asMatrix(own);
        const Box3f& box = m->second.bounds;
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
        return;
    }
    program_.setUniformValue("model", asMatrix(own));
    m->second.vao.bind();
    bindInstances(b, 1);
    bindLook(batch.look, 1);
    glDisableVertexAttribArray(2);
    setFixed(2, -1, 0, 0, 1);
    const bool coarse = batch.level == DrawLevel::Coarse;
    const std::string& wearer = drawn_.count(batch.layer) ? batch.layer : batch.object;
    const auto drawn = drawn_.find(wearer);
    program_.setUniformValue("drawn", drawn != drawn_.end() && drawn->second.drawn ? 1 : 0);
    const auto draw = [&] {
        glDrawElementsInstanced(GL_TRIANGLES, coarse ? m->second.coarseCount : m->second.count,
                                GL_UNSIGNED_INT, bufferOffset(coarse ? size_t(m->second.count) * 4 : 0),
                                GLsizei(b.count));
    };
    draw();
    drawContour(wearer, o, o.eye.length(), false, draw);
    trianglesDrawn_ += b.count * size_t(coarse ? m->second.coarseCount : m->second.count) / 3;
    releaseInstances();
    if (m->second.heatHash) glEnableVertexAttribArray(2);
}

void GlScene::setUniforms(const Options& o) {
    program_.setUniformValue("viewProjection", o.viewProjection);
    program_.setUniformValue("eye", asVector(o.eye));
    program_.setUniformValue("mode", o.picking ? 1 : 0);
    program_.setUniformValue("outline", 0.0f);
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
    const auto drawn = drawn_.find(object.id);
    program_.setUniformValue("drawn",
                             drawn != drawn_.end() && drawn->second.drawn && !object.overlay ? 1 : 0);
    const auto draw = [&] {
        glDrawElements(GL_TRIANGLES, coarse ? b.coarseCount : b.count, GL_UNSIGNED_INT,
                       bufferOffset(coarse ? size_t(b.count) * 4 : 0));
    };
    draw();
    const V3f place(object.world[3][0], object.world[3][1], object.world[3][2]);
    drawContour(object.id, o, (place - o.eye).length(), object.world.determinant() < 0, draw);
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
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_PROGRAM_POINT_SIZE);
    const size_t budget = software_ ? (o.moving ? 120'000 : 1'200'000) : (o.moving ? 4'000'000 : 20'000'000);
    chooseLevels(batches_, budget);
    drawAll(o, false);
    if (!o.objectsOnly) drawStrands(o);
    if (!o.picking) {
        glEnable(GL_BLEND);
        glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE);
    }
    drawAll(o, true);
    glDisable(GL_BLEND);
}

void GlScene::drawStrands(const Options& o) {
    GlStrands::DrawSettings settings;
    settings.viewProjection = o.viewProjection;
    settings.eye = o.eye;
    settings.pixelSize = o.pixelSize;
    settings.picking = o.picking;
    settings.light = o.light;
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
        if (combed && batch.guides) batch.lines = batch.roots = true;
        const bool marked = o.selected == batch.layer && !combed;
        const V3f own = marked ? V3f(batch.color) * 0.7f + accent * 0.3f : V3f(batch.color);
        // While guides are combed they are seen through the coat that lies between them.
        glDepthMask(combed && guided && !batch.guides ? GL_FALSE : GL_TRUE);
        strands_.draw(batch, settings, batch.guides ? asVector(tokens().sand) : asVector(own));
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
