// Numbers as people type them.
#pragma once
#include <string>

namespace ovrix {

/// The value of an arithmetic text such as "2.5", "1/24", "3*(2+0.5)" or "2.5cm", in @p unit ("m", "mm",
/// "deg", "s" or anything else). Lengths may carry mm, cm, m, km, in, ft; angles deg, rad, turn; times ms, s,
/// min; any number may carry %. Throws Error saying what is wrong and where.
double parseNumberText(const std::string& text, const std::string& unit);

}  // namespace ovrix
