// Places at which fields are asked: named, typed columns side by side.
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "base/vec.h"
#include "geo/fwd.h"

namespace ovrix::field {

/// A name and a type as one number: equal where both are. Thread safe.
using ChannelId = uint32_t;
template <class T>
ChannelId channelId(std::string_view name);

/// What samples may carry under a name, as numbers of one type.
template <class T>
struct ChannelKey {
    ChannelId id;
    explicit ChannelKey(std::string_view name) : id(channelId<T>(name)) {}
};

/// Those that sources ask for. Whatever else elements carry is a channel under its attribute's name.
namespace channel {
extern const ChannelKey<V3f> position;  ///< world, metres
extern const ChannelKey<V3f> normal;    ///< unit
extern const ChannelKey<V2f> uv;
extern const ChannelKey<uint64_t> id;
/// Of the layer's surface, on which the sample lies; below 0 for those that lie on nothing. Columns that
/// bind to another surface have other names: see ParticleState.
extern const ChannelKey<int32_t> triangle;
extern const ChannelKey<V2f> bary;        ///< weights of that triangle's second and third corner
extern const ChannelKey<float> scale;     ///< the element's size so far
extern const ChannelKey<V3f> velocity;    ///< metres a second
extern const ChannelKey<float> age;       ///< seconds since its birth
extern const ChannelKey<float> life;      ///< seconds that it lives
extern const ChannelKey<float> along;     ///< 0 at a strand's root, 1 at its tip
extern const ChannelKey<V3f> eye;         ///< unit, towards who sees it; of renders
extern const ChannelKey<float> backside;  ///< 1 where it is seen from behind, else 0; of renders
extern const ChannelKey<float> arriving;  ///< light that makes a white matt body so bright by the exposure
extern const ChannelKey<int32_t> face;    ///< of the mesh that is met; of renders
/// Metres of the part of the picture that a place stands for: what is finer is not seen. Of renders.
extern const ChannelKey<float> width;
extern const ChannelKey<float> uvWidth;  ///< the same in texture places
/// From the world to the space of what wears a material, which the context's surface is in then; missing
/// where that surface is in the world.
extern const ChannelKey<M44f> toObject;
}  // namespace channel

/// Columns of equal length; refers to them and owns none. A source that needs one which is missing says so
/// when it is compiled or gives 0. Copying it copies no numbers and, up to kFew columns, allocates nothing.
class Samples {
  public:
    explicit Samples(size_t size = 0) : size_(size) {}
    /// As many as there are places.
    explicit Samples(std::span<const V3f> positions) : size_(positions.size()) {
        with(channel::position, positions);
    }

    size_t size() const { return size_; }
    /// Adds a column, or leaves out an empty one. Throws std::logic_error when it is of another length.
    template <class T>
    Samples& with(const ChannelKey<T>& which, std::type_identity_t<std::span<const T>> values) {
        if (!values.empty()) put({which.id, uint32_t(sizeof(T)), values.data()}, values.size());
        return *this;
    }
    /// The column, or an empty span.
    template <class T>
    std::span<const T> get(const ChannelKey<T>& which) const {
        const size_t i = indexOf(which.id);
        if (i == count_) return {};
        return {static_cast<const T*>(at(i).data), size_};
    }
    /// Those from @p begin on, @p count of them.
    Samples sub(size_t begin, size_t count) const;

  private:
    static constexpr size_t kFew = 16;
    struct View {
        ChannelId channel;
        uint32_t stride;
        const void* data;
    };
    const View& at(size_t i) const { return i < kFew ? few_[i] : more_[i - kFew]; }
    View& at(size_t i) { return i < kFew ? few_[i] : more_[i - kFew]; }
    /// count_ for none.
    size_t indexOf(ChannelId channel) const {
        size_t i = 0;
        while (i < count_ && at(i).channel != channel) ++i;
        return i;
    }
    void put(const View& view, size_t size);

    size_t size_, count_ = 0;
    std::array<View, kFew> few_;  // the first count_ are set
    std::vector<View> more_;
};

/// All numeric columns of elements; none of what has no places.
Samples samplesOf(const geo::AttributeSet& elements);
/// One sample a strand.
Samples samplesOf(const geo::StrandSet& strands);

/// One sample a corner of a mesh, at the corner's own normal and texture place.
Samples samplesOf(const geo::Mesh& mesh, const geo::CornerPlaces& corners);

/// Where samples lie on a surface: by their triangle and weights if those are of it, else at the nearest
/// place; no hit where there is none. Thread safe.
class PlacesOn {
  public:
    PlacesOn(const geo::Surface& surface, const Samples& samples);
    geo::SurfaceHit operator[](size_t i) const;

  private:
    const geo::Surface& surface_;
    std::span<const V3f> position_;
    std::span<const M44f> toObject_;
    std::span<const int32_t> triangle_;
    std::span<const V2f> bary_;
};

}  // namespace ovrix::field
