#include "geo/attributes.h"

#include <fmt/format.h>

#include <atomic>

#include "base/parallel.h"

namespace ovrix::geo {

namespace {

template <class T>
void resizeColumn(std::vector<T>& values, size_t count) {
    values.resize(count, blankValue<T>());
}
void resizeColumn(StringColumn& column, size_t count) { column.index.resize(count, -1); }

template <class T>
size_t bytesOf(const std::vector<T>& values) {
    return values.size() * sizeof(T);
}
size_t bytesOf(const StringColumn& column) {
    size_t bytes = column.index.size() * sizeof(int32_t);
    for (const auto& text : column.table) bytes += text.size();
    return bytes;
}

template <class T>
std::vector<T> gather(const std::vector<T>& values, std::span<const uint32_t> indices) {
    std::vector<T> out(indices.size());
    parallelFor(indices.size(), Progress::none(), [&](size_t i) { out[i] = values[indices[i]]; });
    return out;
}
StringColumn gather(const StringColumn& column, std::span<const uint32_t> indices) {
    return {gather(column.index, indices), column.table};
}

template <class T>
size_t lengthOf(const std::vector<T>& values) {
    return values.size();
}
size_t lengthOf(const StringColumn& column) { return column.index.size(); }

}  // namespace

void AttributeSet::resize(size_t count) {
    for (auto& [name, column] : columns_)
        std::visit([count](auto& values) { resizeColumn(values, count); }, own(column));
    size_ = count;
}

size_t columnBytes(const Column& column) {
    return std::visit([](const auto& values) { return bytesOf(values); }, column);
}

size_t AttributeSet::bytes() const {
    size_t total = 0;
    for (const auto& [name, column] : columns_) total += columnBytes(*column);
    return total;
}

Column& AttributeSet::own(std::shared_ptr<Column>& column) {
    if (column.use_count() > 1) column = std::make_shared<Column>(*column);
    std::atomic_thread_fence(std::memory_order_acquire);  // what another thread read before it let go is read
    return *column;
}

std::vector<std::pair<std::string, const Column*>> AttributeSet::columns() const {
    std::vector<std::pair<std::string, const Column*>> all;
    for (const auto& [name, column] : columns_) all.emplace_back(name, column.get());
    return all;
}

bool AttributeSet::operator==(const AttributeSet& other) const {
    return size_ == other.size_ && std::equal(columns_.begin(), columns_.end(), other.columns_.begin(),
                                              other.columns_.end(), [](const auto& a, const auto& b) {
                                                  return a.first == b.first &&
                                                         (a.second == b.second || *a.second == *b.second);
                                              });
}

void AttributeSet::set(const std::string& name, Column column) {
    const size_t count = columnSize(column);
    if (columns_.empty()) size_ = count;
    if (count != size_)
        throw Error(
            fmt::format("attribute \"{}\" has {} elements where {} are expected", name, count, size_));
    columns_[name] = std::make_shared<Column>(std::move(column));
}

AttributeSet AttributeSet::gathered(std::span<const uint32_t> indices) const {
    AttributeSet out;
    out.size_ = indices.size();
    for (const auto& [name, column] : columns_)
        out.columns_[name] = std::make_shared<Column>(
            std::visit([&](const auto& values) -> Column { return gather(values, indices); }, *column));
    return out;
}

size_t columnSize(const Column& column) {
    return std::visit([](const auto& values) { return lengthOf(values); }, column);
}

std::string columnTypeName(const Column& column) {
    static const char* names[] = {"float", "int", "vec2", "vec3", "vec4", "color", "quat", "string", "id"};
    return names[column.index()];
}

}  // namespace ovrix::geo
