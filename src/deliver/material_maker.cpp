#include "deliver/material_maker.h"

#include <fmt/format.h>

#include "base/error.h"
#include "deliver/picture_setup.h"

namespace ovrix::deliver {

std::shared_ptr<const FibreShape> MaterialMaker::fibreShape(float ior, float shift) {
    for (const auto& known : fibreShapes_)
        if (known->ior() == ior && known->shift() == shift) return known;
    if (fibreShapes_.size() > 64) fibreShapes_.clear();
    fibreShapes_.push_back(std::make_shared<const FibreShape>(ior, shift));
    return fibreShapes_.back();
}

/// @param below  materials that it lies over, the lowest first
std::shared_ptr<const SurfaceMaterial> MaterialMaker::over(const Document& document, const Node& node,
                                                           const std::string& id, const FieldContext& context,
                                                           const std::vector<std::string>& below,
                                                           std::vector<std::string>& problems) {
    const Node* over = document.find(id);
    if (!over || over->category() != Category::Material) return nullptr;
    if (std::find(below.begin(), below.end(), id) != below.end()) {
        problems.push_back(
            fmt::format("{} lies over itself, by way of {}: take one of them off", over->name, node.name));
        return nullptr;
    }
    constexpr size_t kDeepest = 16;
    if (below.size() >= kDeepest) {
        problems.push_back(
            fmt::format("{} has more than {} materials over it: take some off", node.name, kDeepest));
        return nullptr;
    }
    auto made = std::make_shared<SurfaceMaterial>(make(document, *over, context, below, problems));
    if (!made->fibre && !made->drawn) return made;
    problems.push_back(over->name + (made->drawn ? " is line art" : " is made for strands") +
                       ", and cannot lie over " + node.name);
    return nullptr;
}

/// A node's, without the fields that cannot be worked out.
static ParamMap usableParams(const Node& node, const FieldContext& context,
                             std::vector<std::string>& problems) {
    ParamMap params = node.params;
    for (const ParamSpec& spec : specsOf(node)) {
        const auto it = params.find(spec.id);
        if (it == params.end() || !it->second.field) continue;
        try {
            ResolvedParams(std::span(&spec, 1), params, context);
        } catch (const Error& e) {
            const std::string problem = node.name + ": " + e.what();  // of a pass, for each that wears it
            if (std::find(problems.begin(), problems.end(), problem) == problems.end())
                problems.push_back(problem);
            it->second.field = nullptr;
        }
    }
    return params;
}

void MaterialMaker::addPasses(const Document& document, const FieldContext& context,
                              SurfaceMaterial& material, std::vector<std::string>& problems) {
    for (const NodePtr& node : fieldPasses(document)) {
        const ResolvedParams p(specsOf(*node), usableParams(*node, context, problems), context);
        material.passes.push_back({.color = p[kFieldPass.kind] == "colour",
                                   .number = p[kFieldPass.number],
                                   .colors = p[kFieldPass.color]});
        material.varies |= p.varies();
        material.readsLight |= p.reads(&SourceKernel::readsLight);
        material.readsElements |= p.reads(&SourceKernel::readsElements);
        material.readsUvWidth |= p.reads(&SourceKernel::readsUvWidth);
    }
}

SurfaceMaterial MaterialMaker::make(const Document& document, const Node& node, const FieldContext& context,
                                    std::vector<std::string> below, std::vector<std::string>& problems) {
    const NodeType* type = findNodeType(node.type);
    if (!type || !type->material) return {};
    const ParamMap params = usableParams(node, context, problems);
    below.push_back(node.id);
    const ResolvedParams resolved(specsOf(node), params, context);
    SurfaceMaterial m = type->material(
        {resolved, [this](float ior, float shift) { return fibreShape(ior, shift); },
         [&](const std::string& id) { return over(document, node, id, context, below, problems); },
         [&](const std::string& id) { return document.find(id) ? uint32_t(document.indexOf(id) + 1) : 0u; },
         [&](const std::string& name) { return groups_.numberOf(name); }});
    m.varies = resolved.varies() || (m.over && m.over->varies);
    m.readsLight = resolved.reads(&SourceKernel::readsLight);
    m.readsElements = resolved.reads(&SourceKernel::readsElements) || (m.over && m.over->readsElements);
    m.readsUvWidth = resolved.reads(&SourceKernel::readsUvWidth) || (m.over && m.over->readsUvWidth);
    return m;
}

}  // namespace ovrix::deliver
