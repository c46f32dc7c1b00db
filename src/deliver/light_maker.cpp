#include "deliver/light_maker.h"

#include "base/error.h"
#include "base/hash.h"
#include "document/model/values.h"

namespace ovrix::deliver {

uint32_t LightGroups::numberOf(const std::string& name) {
    const size_t begin = name.find_first_not_of(" \t"), end = name.find_last_not_of(" \t");
    if (begin == std::string::npos) return 0;
    const std::string own = name.substr(begin, end - begin + 1);
    if (names_.empty()) names_.push_back({});
    const size_t number = size_t(std::find(names_.begin() + 1, names_.end(), own) - names_.begin());
    if (number == names_.size()) names_.push_back(own);
    return uint32_t(number);
}

std::shared_ptr<const Image> LightMaker::sky(const SkyOptions& o) {
    Hasher h;
    h.add(double(o.elevation)).add(double(o.azimuth)).add(double(o.haze));
    for (int i = 0; i < 3; ++i) h.add(double(o.ground[i]));
    if (!sky_ || h.value() != skyHash_) sky_ = makeSky(o);
    skyHash_ = h.value();
    return sky_;
}

/// Kept as long as its image is: a colour or a turn changes none of it.
std::shared_ptr<const DomeTable> LightMaker::tableOf(const std::shared_ptr<const Image>& image) {
    if (!image) return nullptr;
    for (const auto& known : tables_)
        if (&known->image() == image.get()) return known;
    if (tables_.size() > 3) tables_.erase(tables_.begin());
    tables_.push_back(std::make_shared<const DomeTable>(image));
    return tables_.back();
}

std::vector<Light> LightMaker::make(const SceneContext& scene, double frame,
                                    std::vector<std::string>& problems) {
    const Document& document = scene.document;
    std::vector<Light> lights;
    const auto image = [&](const std::string& file, const std::string& space) {
        return file.empty() ? nullptr : evaluator_.images().image(scene.resolve(file), space);
    };
    const auto picture = [&](const std::string& file, const std::string& space) {
        return tableOf(image(file, space));
    };
    for (const NodePtr& node : document.nodes(Category::Light)) {
        const NodeType* type = findNodeType(node->type);
        if (!node->rendered || !type || !type->light) continue;
        try {
            const ResolvedParams p = paramsOf(document, *node, frame);
            lights.push_back(
                type->light({.document = document,
                             .node = *node,
                             .frame = frame,
                             .params = p,
                             .world = document.worldMatrix(node->id, frame),
                             .picture = picture,
                             .sky = [&](const SkyOptions& options) { return tableOf(sky(options)); },
                             .image = image,
                             .group = [&](const std::string& name) { return groups_.numberOf(name); }}));
            lights.back().node = uint32_t(document.indexOf(node->id) + 1);
        } catch (const Error& e) {
            problems.push_back(node->name + ": " + e.what());
        }
    }
    return lights;
}

}  // namespace ovrix::deliver
