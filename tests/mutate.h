// Files as chance, a person or a stranger would change them.
#pragma once
#include "base/house.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

/// A piece of the text taken for another, as a person or a stranger would change it.
inline void mutate(std::string& bytes, std::mt19937_64& random) {
    static const char* words[] = {"-1",   "99999999999", "nan",        "[[[[", "{}",
                                  "null", "1e308",       "\"\"",       "\n",   "0",
                                  "true", "../..",       "]",          "}",    ",",
                                  "-0.0", "inf",         "4294967296", "\xff", "element vertex 99999999"};
    for (uint64_t n = 1 + random() % 3; n-- > 0 && !bytes.empty();) {
        const size_t at = random() % bytes.size();
        switch (random() % 5) {
            case 0:
                bytes.insert(at, words[random() % std::size(words)]);
                break;
            case 1: {
                const size_t from = random() % bytes.size();
                bytes.insert(at, bytes.substr(from, random() % 60));
                break;
            }
            case 2: {  // a number becomes another
                const size_t digit = bytes.find_first_of("0123456789", at);
                if (digit != std::string::npos) bytes[digit] = char('0' + random() % 10);
                break;
            }
            default:
                damage(bytes, random);
        }
    }
}

}  // namespace ovrix::tests
