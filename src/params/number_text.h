// Numbers as people type them.
#pragma once
#include <map>
#include <string>
#include <vector>

namespace ovrix::params {

/// The value of an arithmetic text such as "2.5", "1/24", "3*(2+0.5)" or "2.5cm", in @p unit ("m", "mm",
/// "deg", "s" or anything else). Lengths may carry mm, cm, m, km, in, ft; angles deg, rad, turn; times ms, s,
/// minutes; any number may carry %. @p names may stand in it for their numbers. Throws Error saying what is
/// wrong and where.
double parseNumberText(const std::string& text, const std::string& unit,
                       const std::map<std::string, double>& names = {});

/// The whole numbers below @p count that a text such as "0-3, 7" names, each once, ascending. Numbers that
/// are too large are left out. Throws Error when it is no such text.
std::vector<int> cellsFromText(const std::string& text, int count);
/// The shortest such text.
std::string textFromCells(const std::vector<int>& cells);

}  // namespace ovrix::params
