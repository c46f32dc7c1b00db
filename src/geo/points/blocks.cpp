#include "geo/points/blocks.h"

namespace ovrix::geo {

static void add(const AttributeSet& set, std::vector<Block>& blocks) {
    for (const auto& [name, column] : set.columns()) blocks.push_back({column, columnBytes(*column)});
}

std::vector<Block> blocksOf(const Geometry& geometry) {
    std::vector<Block> blocks;
    if (const auto* p = std::get_if<std::shared_ptr<const PointSet>>(&geometry))
        add((*p)->attributes, blocks);
    if (const auto* c = std::get_if<std::shared_ptr<const Copies>>(&geometry)) add((*c)->attributes, blocks);
    if (const auto* s = std::get_if<std::shared_ptr<const StrandSet>>(&geometry)) {
        add((*s)->points, blocks), add((*s)->strands, blocks);
        blocks.push_back({s->get(), (*s)->start.size() * sizeof(uint32_t)});
    }
    if (const auto* m = std::get_if<MeshPtr>(&geometry); m && *m) {
        size_t columns = 0;
        for (const AttributeSet* set : {&(*m)->points, &(*m)->corners, &(*m)->faces})
            add(*set, blocks), columns += set->bytes();
        blocks.push_back({m->get(), (*m)->bytes() - columns});
    }
    return blocks;
}

}  // namespace ovrix::geo
