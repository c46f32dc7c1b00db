// Named, typed columns over one kind of element: structure of arrays.
#pragma once
#include <map>
#include <memory>
#include <span>
#include <string>
#include <variant>
#include <vector>

#include "base/error.h"
#include "base/vec.h"

namespace ovrix::geo {

/// Text per element, kept as an index into a table of the different texts.
struct StringColumn {
    std::vector<int32_t> index;
    std::vector<std::string> table;
    bool operator==(const StringColumn&) const = default;
};

using Column = std::variant<std::vector<float>, std::vector<int32_t>, std::vector<V2f>, std::vector<V3f>,
                            std::vector<V4f>, std::vector<Color>, std::vector<Quatf>, StringColumn,
                            std::vector<uint64_t>>;

/// What a new element of a column holds: zero, or no rotation.
template <class T>
T blankValue() {
    if constexpr (std::is_same_v<T, Quatf>)
        return Quatf();
    else
        return T(0);
}

/// Columns of equal length. Copying a set copies no column: copies share it until one of them is about to
/// write to it. So a step that sets one attribute neither copies nor keeps the others twice. Reading from
/// several threads is safe while none writes; a span for writing holds until its set is copied.
class AttributeSet {
  public:
    size_t size() const { return size_; }
    /// Changes the length of every column; new elements get zero.
    void resize(size_t count);
    bool has(const std::string& name) const { return columns_.count(name) != 0; }
    bool remove(const std::string& name) { return columns_.erase(name) != 0; }
    bool empty() const { return columns_.empty(); }
    /// All columns by name, in the order of names.
    std::vector<std::pair<std::string, const Column*>> columns() const;
    /// Memory of all columns, in bytes; shared ones count whole.
    size_t bytes() const;

    /// The column of that name and type, made with @p fill if it is not there. Throws Error if the name has
    /// another type.
    template <class T>
    std::span<T> add(const std::string& name, const T& fill = blankValue<T>()) {
        std::shared_ptr<Column>& column = columns_[name];
        if (!column) column = std::make_shared<Column>(std::vector<T>(size_, fill));
        if (!std::holds_alternative<std::vector<T>>(*column))
            throw Error("attribute \"" + name + "\" has another type");
        auto& values = std::get<std::vector<T>>(own(column));
        return {values.data(), values.size()};
    }

    /// Takes a whole column; its length must be size(), or this set must be without columns.
    void set(const std::string& name, Column column);

    /// The column, or an empty span when it is missing or has another type.
    template <class T>
    std::span<const T> find(const std::string& name) const {
        const auto it = columns_.find(name);
        if (it == columns_.end()) return {};
        const auto* values = std::get_if<std::vector<T>>(it->second.get());
        return values ? std::span<const T>(*values) : std::span<const T>();
    }

    /// Only the elements at @p indices, in that order. Indices must be below size().
    AttributeSet gathered(std::span<const uint32_t> indices) const;

    bool operator==(const AttributeSet& other) const;

  private:
    /// The column, which no other set has from then on.
    static Column& own(std::shared_ptr<Column>& column);

    size_t size_ = 0;
    std::map<std::string, std::shared_ptr<Column>> columns_;
};

/// Number of elements in a column, and the name of its type ("float", "vec3", "id", ...).
size_t columnSize(const Column& column);
size_t columnBytes(const Column& column);
std::string columnTypeName(const Column& column);

}  // namespace ovrix::geo
