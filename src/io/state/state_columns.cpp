#include "io/state/state_columns.h"

#include <blosc.h>

#include <cstring>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "base/json_guard.h"
#include "base/open_file.h"
#include "base/parallel.h"

namespace ovrix::io {

using Json = nlohmann::ordered_json;

namespace {

constexpr std::string_view kColumnsName = "ovrix-columns 1\n";
constexpr size_t kBlockBytes = size_t(1) << 20, kLongestHeader = size_t(8) << 20;

/// The bytes of a column's numbers; empty for columns of text.
std::span<const char> bytesOf(const Column& column) {
    return std::visit(
        []<class C>(const C& values) -> std::span<const char> {
            if constexpr (std::is_same_v<C, StringColumn>)
                return {};
            else
                return {reinterpret_cast<const char*>(values.data()), values.size() * sizeof(values[0])};
        },
        column);
}

size_t blocksIn(size_t bytes) { return (bytes + kBlockBytes - 1) / kBlockBytes; }

/// A part of a column, packed.
struct ColumnBlock {
    std::span<const char> from;
    std::vector<char> packed;
    void pack() {
        packed.resize(from.size() + BLOSC_MAX_OVERHEAD);
        const int size = blosc_compress_ctx(5, BLOSC_SHUFFLE, 4, from.size(), from.data(), packed.data(),
                                            packed.size(), "lz4", 0, 1);
        if (size <= 0) throw std::bad_alloc();  // it has room for what cannot be made smaller
        packed.resize(size_t(size));
    }
};

std::string columnsHead(const StateFile& state, std::vector<ColumnBlock>& blocks) {
    Json j{{"notes", state.notes}, {"sets", Json::array()}};
    size_t next = 0;
    for (const auto& [name, set] : state.sets) {
        Json own{{"name", name}, {"count", set.size()}, {"columns", Json::array()}};
        for (const auto& [id, column] : set.columns()) {
            if (std::holds_alternative<StringColumn>(*column)) continue;
            Json sizes = Json::array();
            for (size_t b = blocksIn(columnBytes(*column)); b-- > 0;)
                sizes.push_back(blocks[next++].packed.size());
            own["columns"].push_back({{"id", id}, {"type", columnTypeName(*column)}, {"blocks", sizes}});
        }
        j["sets"].push_back(std::move(own));
    }
    return j.dump();
}

void writeColumns(const std::filesystem::path& path, const StateFile& state) {
    std::vector<ColumnBlock> blocks;
    for (const auto& [name, set] : state.sets)
        for (const auto& [id, column] : set.columns())
            for (auto left = bytesOf(*column); !left.empty(); left = left.subspan(blocks.back().from.size()))
                blocks.push_back({left.first(std::min(left.size(), kBlockBytes)), {}});
    parallelRanges(blocks.size(), 1, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) blocks[i].pack();
    });
    const std::string head = columnsHead(state, blocks);
    writeAtomically(path, [&](const std::filesystem::path& temporary) {
        std::ofstream out(temporary, std::ios::binary);
        const uint64_t length = head.size();
        out.write(kColumnsName.data(), std::streamsize(kColumnsName.size()));
        out.write(reinterpret_cast<const char*>(&length), sizeof length);
        out.write(head.data(), std::streamsize(head.size()));
        for (const ColumnBlock& b : blocks) out.write(b.packed.data(), std::streamsize(b.packed.size()));
        out.close();
        if (!out)
            throw Error("could not be written", path.string(),
                        "Free some space on the disk, or save elsewhere");
    });
}

template <class T>
Column blankColumn(size_t count) {
    return std::vector<T>(count);
}

/// How columns are made, by the name of their type.
const std::map<std::string, std::pair<size_t, Column (*)(size_t)>>& columnKinds() {
    static const auto all = [] {
        std::map<std::string, std::pair<size_t, Column (*)(size_t)>> made;
        const auto add = [&]<class T>(T*) {
            made[columnTypeName(blankColumn<T>(0))] = {sizeof(T), blankColumn<T>};
        };
        add((float*)nullptr), add((int32_t*)nullptr), add((V2f*)nullptr), add((V3f*)nullptr);
        add((V4f*)nullptr), add((Color*)nullptr), add((Quatf*)nullptr), add((uint64_t*)nullptr);
        return made;
    }();
    return all;
}

/// Reads one file, believing nothing that it says of itself.
class ColumnsReader {
  public:
    ColumnsReader(const std::filesystem::path& path, size_t memory, Progress& progress)
        : path_(path), file_(path), memory_(memory), progress_(progress) {}

    StateFile read() {
        char begin[kColumnsName.size() + 8];
        take(begin, sizeof begin);
        uint64_t length;
        std::memcpy(&length, begin + kColumnsName.size(), sizeof length);
        if (std::string_view(begin, kColumnsName.size()) != kColumnsName || length > kLongestHeader ||
            length > file_.size() - at_)
            damaged();
        std::string text(length, '\0');
        take(text.data(), length);
        requireBoundedJson(text, path_.string());
        StateFile state;
        try {
            const Json j = Json::parse(text);
            state.notes = j.at("notes").get<std::map<std::string, std::string>>();
            for (const Json& set : j.at("sets")) addSet(set);
        } catch (const Json::exception&) {
            damaged();
        }
        if (at_ != file_.size()) damaged();
        fill();
        for (Set& s : sets_) {
            AttributeSet columns;
            columns.resize(s.count);
            for (auto& [id, column] : s.columns) columns.set(id, std::move(column));
            state.sets.emplace_back(s.name, std::move(columns));
        }
        return state;
    }

  private:
    struct Set {
        std::string name;
        size_t count;
        std::vector<std::pair<std::string, Column>> columns;
    };
    struct Part {
        size_t set, column, from;  ///< byte of the column
        uint64_t at;               ///< of the file
        size_t packed;
    };

    [[noreturn]] void damaged() const {
        throw Error("is no frame of a simulation, or is damaged", path_.string(), "Bake it again");
    }
    void readAt(uint64_t at, char* to, size_t size) const {
        if (!file_.readAt(at, to, size)) damaged();
    }
    void take(char* to, size_t size) {
        if (size > file_.size() - at_) damaged();
        readAt(at_, to, size);
        at_ += size;
    }

    /// Notes where each block of a set lies; what it would take is known before anything is made.
    void addSet(const Json& j) {
        const uint64_t count = wholeNumber(j.at("count"));
        sets_.push_back({j.at("name").get<std::string>(), size_t(count), {}});
        for (const Json& column : j.at("columns")) {
            const auto kind = columnKinds().find(column.at("type").get<std::string>());
            if (kind == columnKinds().end()) damaged();
            if (count > kMostRead / kind->second.first) damaged();
            const size_t bytes = size_t(count) * kind->second.first;
            const Json& blocks = column.at("blocks");
            if (!blocks.is_array() || blocks.size() != blocksIn(bytes)) damaged();
            bytes_ += bytes;
            if (bytes_ > memory_)
                throw Error("takes more memory than the scene may", path_.string(),
                            "Raise the memory limit in Preferences");
            for (size_t b = 0; b < blocks.size(); ++b) {
                const uint64_t packed = wholeNumber(blocks[b]);
                if (packed > kBlockBytes + BLOSC_MAX_OVERHEAD || packed > file_.size() - at_) damaged();
                parts_.push_back(
                    {sets_.size() - 1, sets_.back().columns.size(), b * kBlockBytes, at_, size_t(packed)});
                at_ += packed;
            }
            sets_.back().columns.emplace_back(column.at("id").get<std::string>(), Column());
            makes_.push_back({sets_.size() - 1, sets_.back().columns.size() - 1, kind->second.second});
        }
    }

    void fill() {
        parallelRanges(makes_.size(), 1, progress_, [&](size_t begin, size_t end) {
            for (size_t i = begin; i < end; ++i)
                sets_[makes_[i].set].columns[makes_[i].column].second =
                    makes_[i].blank(sets_[makes_[i].set].count);
        });
        parallelRanges(parts_.size(), 1, progress_, [&](size_t begin, size_t end) {
            std::vector<char> packed;
            for (size_t i = begin; i < end; ++i) unpack(parts_[i], packed);
        });
    }
    void unpack(const Part& part, std::vector<char>& packed) {
        packed.resize(part.packed);
        readAt(part.at, packed.data(), part.packed);
        const std::span<const char> whole = bytesOf(sets_[part.set].columns[part.column].second);
        const size_t size = std::min(kBlockBytes, whole.size() - part.from);
        size_t said = 0;
        if (blosc_cbuffer_validate(packed.data(), packed.size(), &said) != 0 || said != size) damaged();
        char* to = const_cast<char*>(whole.data()) + part.from;
        if (blosc_decompress_ctx(packed.data(), to, size, 1) != int(size)) damaged();
    }

    struct Make {
        size_t set, column;
        Column (*blank)(size_t);
    };
    const std::filesystem::path& path_;
    OpenFile file_;
    size_t memory_;
    Progress& progress_;
    uint64_t at_ = 0;
    size_t bytes_ = 0;
    std::vector<Set> sets_;
    std::vector<Make> makes_;
    std::vector<Part> parts_;
};

}  // namespace

std::function<void()> readyStateColumns(const std::filesystem::path& path, const StateFile& state) {
    return [path, state] { writeColumns(path, state); };  // columns are shared, and stay as they are
}

StateFile readStateColumns(const std::filesystem::path& path, size_t memory, Progress& progress) {
    return ColumnsReader(path, memory, progress).read();
}

}  // namespace ovrix::io
