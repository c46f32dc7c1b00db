// What a layer's elements carry, as a table: rows to sort, to filter and to sum up.
#pragma once
#include <optional>

#include "base/progress.h"
#include "geo/points/elements.h"

namespace ovrix::eval {

/// Keeps the geometry; const is thread safe. A column for each number that elements carry, those of vectors,
/// colours and turns one by one: "heat", "P.x", "Cd.r", "orient.w".
class ElementTable {
  public:
    explicit ElementTable(Geometry geometry);
    size_t rows() const { return rows_; }
    size_t columns() const { return columns_.size(); }
    const std::string& name(size_t column) const { return columns_[column].name; }
    /// NaN for a text.
    double number(size_t row, size_t column) const { return columns_[column].number(row); }
    /// As people read it.
    std::string text(size_t row, size_t column) const;
    /// 0 where elements have no ids.
    uint64_t id(size_t row) const { return ids_.empty() ? 0 : ids_[row]; }

    /// The rows where a formula is no 0, in their order; all where it is empty. Names are those of the source
    /// Formula: "heat > 0.5 && y < 2". Throws Error that says what is wrong with it; Cancelled.
    std::vector<uint32_t> where(const std::string& formula, double frame, double rate,
                                Progress& progress) const;
    /// By a column, the least first or the most; equal ones stay in their order, what is no number comes
    /// last.
    void sort(std::vector<uint32_t>& rows, size_t column, bool backward) const;

    struct Statistics {
        size_t count = 0;    ///< of rows with a number
        size_t without = 0;  ///< and of those without
        double least = 0, most = 0, mean = 0, deviation = 0;
    };
    Statistics of(std::span<const uint32_t> rows, size_t column) const;

  private:
    struct ColumnOf {
        std::string name;
        bool whole;
        std::function<double(size_t)> number;
        std::function<std::string(size_t)> text = {};
    };
    void add(const std::string& name, const Column& column);
    Geometry geometry_;
    size_t rows_ = 0;
    std::span<const uint64_t> ids_;
    std::vector<ColumnOf> columns_;
};

}  // namespace ovrix::eval
