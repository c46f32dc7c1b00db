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

}  // namespace

GlScene::~GlScene() = default;

void GlScene::initialise() {
    if (!initializeOpenGLFunctions())
        throw Error("OpenGL 3.3 is missing", {}, "Install a newer graphics driver");
    const QString renderer = reinterpret_cast<const char*>(glGetString(GL_RENDERER));
    software_ = renderer.contains("llvmpipe") || renderer.contains("softpipe") || renderer.contains("swrast");
    linkProgram(program_, kSceneVertex, kSceneFragment);
    linkProgram(lines_, kGridVertex, kGridFragment);
    linkProgram(edgeLines_, kSceneVertex, kPlainFragment, kEdgeGeometry);
    strands_.initialise();
    points_.initialise();
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

void GlScene::setEdges(const EvalSnapshot& snapshot) {
    for (auto& [key, b] : edges_) b.used = false;
    for (const auto& [key, edges] : snapshot.edges) {
        if (snapshot.meshOf(key.first) != edges.of) continue;  // of before it changed
        EdgeBuffers& b = edges_[key];
        b.used = true;
        if (b.of == edges) continue;
        b.of = edges;
        b.count = GLsizei(edges.lines->ends.size());
        if (!b.vao.isCreated()) b.vao.create(), b.vertices.create();
        b.vao.bind();
        b.vertices.bind();
        glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(edges.lines->ends.size() * sizeof(V3f)),
                     edges.lines->ends.data(), GL_STATIC_DRAW);
        glEnableVertexAttribArray(0);
        glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
        glBindVertexArray(0);
    }
    std::erase_if(edges_, [](const auto& entry) { return !entry.second.used; });
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
    const Document& d = snapshot.document;
    const uint64_t key = Hasher()
                             .add(snapshot.layers.at(layer.id).hash)
                             .add(deliver::pointsInViewKey(d, layer.id, snapshot.frame))
                             .value();
    points_.add(layer.id, key, colors_.count(layer.id) ? colors_[layer.id] : Color(0.6f),
                [&] { return deliver::pointsInView(d, layer.id, snapshot.frame, points); });
}

/// What the layer makes of strands, and the guides between which they lie, by the layer's switches.
void GlScene::addStrands(const EvalSnapshot& snapshot, const Node& layer) {
    const Document& d = snapshot.document;
    const auto flag = [&](const char* id) { return std::get<bool>(d.value(layer.id, id)); };
    const auto guides = snapshot.guides.find(layer.id), all = snapshot.strands.find(layer.id);
    const bool between = guides != snapshot.guides.end();
    const auto material = d.value(layer.id, kLayer.material, snapshot.frame);
    if (all != snapshot.strands.end()) {
        looks_.use(snapshot, layer.id, all->second.packed->vertices.size());
        strands_.add({.layer = layer.id,
                      .hash = all->second.hash,
                      .color = materialColor(d, material),
                      .roots = flag("show_roots") && !between,
                      .lines = flag("show_fill")},
                     *all->second.packed);
    }
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
    if (type && type->look) drawn_[wearer] = type->look(d, *node, snapshot.frame);
}

void GlScene::addObject(const EvalSnapshot& snapshot, const Node& node, const Overlay* overlay) {
    const Document& d = snapshot.document;
    const auto o = snapshot.objects.find(node.id);
    if (o == snapshot.objects.end()) return;
    const std::string material = materialsOf(d, node, snapshot.frame).front();
    colors_[node.id] = materialColor(d, material);
    setDrawn(snapshot, node.id, material);
    prototypeMatrix_[node.id] = prototypeMatrix(d, node.id, snapshot.frame);
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
    const auto material = d.value(node.id, kLayer.material, snapshot.frame);
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
    points_.beginUpdate();
    looks_.beginUpdate();
    for (auto& [h, m] : meshes_) m.used = false;
    for (auto& [h, b] : buffers_) b.used = false;
    objects_.clear();
    batches_.clear();
    colors_.clear();
    drawn_.clear();
    prototypeMatrix_.clear();
    pickIds_ = {""};
    const Document& d = snapshot.document;
    const Overlay* overlay =
        snapshot.overlay && snapshot.overlay->error.empty() && !snapshot.overlay->values.empty()
            ? &*snapshot.overlay
            : nullptr;
    for (const NodePtr& node : d.nodes(Category::Object)) addObject(snapshot, *node, overlay);
    for (const NodePtr& node : d.nodes(Category::Layer)) addLayer(snapshot, *node);
    setEdges(snapshot);
    strands_.endUpdate();
    points_.endUpdate();
    looks_.endUpdate();
    dropUnused();
}

void GlScene::dropUnused() {
    std::erase_if(meshes_, [](const auto& entry) { return !entry.second.used; });
    std::erase_if(buffers_, [](const auto& entry) { return !entry.second.used; });
}

}  // namespace ovrix::app
