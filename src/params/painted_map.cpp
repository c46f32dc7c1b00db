#include "params/painted_map.h"

#include "base/hash.h"

namespace ovrix::params {

PaintedMap::PaintedMap(PaintLayoutPtr l, std::vector<float> v) : layout(std::move(l)), values(std::move(v)) {
    const auto bytes = [](const auto& list) {
        return std::string_view(reinterpret_cast<const char*>(list.data()), list.size() * sizeof(list[0]));
    };
    hash = Hasher().add(layout->topology).add(bytes(layout->start)).add(bytes(values)).value();
}

}  // namespace ovrix::params
