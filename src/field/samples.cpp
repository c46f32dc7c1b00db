#include "field/samples.h"

#include <map>
#include <mutex>
#include <stdexcept>
#include <typeindex>

#include "geo/attributes.h"
#include "geo/mesh/corner_places.h"
#include "geo/strands/strands.h"
#include "geo/surface/surface.h"

namespace ovrix::field {

namespace {

ChannelId numberOf(std::string_view name, std::type_index type) {
    static std::mutex mutex;
    static std::map<std::pair<std::string, std::type_index>, ChannelId, std::less<>> known;
    std::lock_guard lock(mutex);
    return known.try_emplace({std::string(name), type}, ChannelId(known.size())).first->second;
}

}  // namespace

template <class T>
ChannelId channelId(std::string_view name) {
    return numberOf(name, typeid(T));
}
template ChannelId channelId<float>(std::string_view);
template ChannelId channelId<int32_t>(std::string_view);
template ChannelId channelId<uint64_t>(std::string_view);
template ChannelId channelId<V2f>(std::string_view);
template ChannelId channelId<V3f>(std::string_view);
template ChannelId channelId<V4f>(std::string_view);
template ChannelId channelId<Color>(std::string_view);
template ChannelId channelId<Quatf>(std::string_view);
template ChannelId channelId<M44f>(std::string_view);

namespace channel {
const ChannelKey<V3f> position("P"), normal("N"), velocity("v"), eye("eye");
const ChannelKey<V2f> uv("uv"), bary("bary");
const ChannelKey<uint64_t> id("id");
const ChannelKey<int32_t> triangle("triangle"), face("face");
const ChannelKey<float> scale("scale"), age("age"), life("life"), along("along"), backside("backside"),
    arriving("arriving light"), width("width of view"), uvWidth("width of view in uv");
const ChannelKey<M44f> toObject("to object");
}  // namespace channel

void Samples::put(const View& view, size_t size) {
    if (size != size_) throw std::logic_error("a column of samples is of another length");
    const size_t i = indexOf(view.channel);
    if (i >= kFew && i == count_)
        more_.push_back(view);
    else
        at(i) = view;
    count_ = std::max(count_, i + 1);
}

Samples Samples::sub(size_t begin, size_t count) const {
    Samples part(*this);
    part.size_ = count;
    for (size_t i = 0; i < count_; ++i) {
        View& view = part.at(i);
        view.data = static_cast<const std::byte*>(view.data) + begin * view.stride;
    }
    return part;
}

Samples samplesOf(const geo::AttributeSet& elements) {
    if (elements.find<V3f>("P").empty()) return Samples();
    Samples samples(elements.size());
    for (const auto& [name, column] : elements.columns())
        std::visit(
            [&, &key = name]<class C>(const C& values) {
                if constexpr (!std::is_same_v<C, geo::StringColumn>) {
                    using T = typename C::value_type;
                    samples.with(ChannelKey<T>(key), std::span<const T>(values));
                }
            },
            *column);
    return samples;
}

Samples samplesOf(const geo::StrandSet& strands) { return samplesOf(strands.strands); }

Samples samplesOf(const geo::Mesh& mesh, const geo::CornerPlaces& corners) {
    return Samples(corners.position)
        .with(channel::normal, mesh.normals())
        .with(channel::uv, mesh.uvs())
        .with(channel::id, corners.id)
        .with(channel::triangle, corners.triangle)
        .with(channel::bary, corners.bary);
}

PlacesOn::PlacesOn(const geo::Surface& surface, const Samples& samples)
    : surface_(surface),
      position_(samples.get(channel::position)),
      toObject_(samples.get(channel::toObject)),
      triangle_(samples.get(channel::triangle)),
      bary_(samples.get(channel::bary)) {}

geo::SurfaceHit PlacesOn::operator[](size_t i) const {
    if (!triangle_.empty() && !bary_.empty() && triangle_[i] >= 0 &&
        size_t(triangle_[i]) < surface_.mesh().triangles().size()) {
        geo::SurfaceHit hit;
        hit.hit = true;
        hit.triangle = uint32_t(triangle_[i]), hit.u = bary_[i].x, hit.v = bary_[i].y;
        return hit;
    }
    return surface_.closest(toObject_.empty() ? position_[i] : position_[i] * toObject_[i]);
}

}  // namespace ovrix::field
