#include "io/state/state_blob.h"

#include "io/process/blob.h"

namespace ovrix::io {

namespace {

template <class T>
void takeColumn(BlobReader& r, AttributeSet& set, const std::string& name) {
    set.set(name, r.array<T>());
}

/// How columns are read, by the place of their type among those of a column.
using Take = void (*)(BlobReader&, AttributeSet&, const std::string&);
constexpr Take kTakes[] = {takeColumn<float>,   takeColumn<int32_t>, takeColumn<V2f>,   takeColumn<V3f>,
                           takeColumn<V4f>,     takeColumn<Color>,   takeColumn<Quatf>, nullptr,
                           takeColumn<uint64_t>};
static_assert(std::variant_size_v<Column> == std::size(kTakes));

}  // namespace

std::string packState(const StateFile& state) {
    BlobWriter w;
    w.value(uint64_t(state.notes.size()));
    for (const auto& [id, text] : state.notes) w.text(id), w.text(text);
    w.value(uint64_t(state.sets.size()));
    for (const auto& [name, set] : state.sets) {
        w.text(name);
        const auto columns = set.columns();
        w.value(uint64_t(columns.size()));
        for (const auto& [id, column] : columns) {
            w.text(id);
            w.value(uint64_t(column->index()));
            std::visit(
                [&]<class C>(const C& values) {
                    if constexpr (!std::is_same_v<C, StringColumn>)
                        w.array(std::span<const typename C::value_type>(values));
                },
                *column);
        }
    }
    return std::move(w.bytes);
}

StateFile unpackState(std::string_view bytes) {
    BlobReader r(bytes);
    StateFile state;
    for (uint64_t n = r.value<uint64_t>(); n-- > 0;) {
        const std::string id = r.text();
        state.notes[id] = r.text();
    }
    for (uint64_t n = r.value<uint64_t>(); n-- > 0;) {
        const std::string name = r.text();
        AttributeSet set;
        for (uint64_t c = r.value<uint64_t>(); c-- > 0;) {
            const std::string id = r.text();
            const uint64_t kind = r.value<uint64_t>();
            if (kind >= std::size(kTakes)) BlobReader::notWhole();
            if (kTakes[kind]) kTakes[kind](r, set, id);  // set() refuses another length
        }
        state.sets.emplace_back(name, std::move(set));
    }
    return state;
}

}  // namespace ovrix::io
