#include "eval/waves.h"

#include <map>
#include <set>

#include "document/model/references.h"

namespace ovrix::eval {

namespace {

/// Further than any scene hangs together; what does is treated as a circle.
constexpr size_t kDeepest = 1000;

class Depths {
  public:
    explicit Depths(const Document& document) {
        for (const NodePtr& node : document.nodes()) nodes_[node->id] = node.get();
    }

    /// How many layers stand above one another below this node, itself counted if it is one. What a layer is
    /// linked to counts as below it.
    size_t of(const Node& node) {
        if (const auto known = depth_.find(node.id); known != depth_.end()) return known->second;
        if (open_.size() >= kDeepest || !open_.insert(node.id).second) {
            circle_ = true;
            return 0;
        }
        size_t below = 0;
        const auto need = [&](const std::string& id) {
            if (const auto named = nodes_.find(id); named != nodes_.end())
                below = std::max(below, of(*named->second));
        };
        visitReferences(node, [&](const ParamSpec&, const std::string& id) { need(id); });
        need(node.parent);
        open_.erase(node.id);
        return depth_[node.id] = below + (node.category() == Category::Layer ? 1 : 0);
    }
    bool circle() const { return circle_; }

  private:
    std::map<std::string, const Node*> nodes_;
    std::map<std::string, size_t> depth_;
    std::set<std::string> open_;
    bool circle_ = false;
};

}  // namespace

std::vector<std::vector<std::string>> layersInWaves(const Document& document) {
    Depths depths(document);
    std::map<size_t, std::vector<std::string>> byDepth;
    std::vector<std::vector<std::string>> waves, alone;
    for (const NodePtr& layer : document.nodes(Category::Layer)) {
        byDepth[depths.of(*layer)].push_back(layer->id);
        alone.push_back({layer->id});
    }
    if (depths.circle()) return alone;
    for (auto& [depth, layers] : byDepth) waves.push_back(std::move(layers));
    return waves;
}

}  // namespace ovrix::eval
