// What is known of files of elements.
#pragma once
#include <Imath/ImathBox.h>

#include <string>
#include <utility>
#include <vector>

#include "base/vec.h"

namespace ovrix::io {

/// What a file of elements holds, without taking it into the program.
struct ElementsInfo {
    std::string kind;  ///< "points", "strands", "copies"
    size_t count = 0;
    Box3f bounds;
    std::vector<std::pair<std::string, std::string>> attributes;  ///< name, type
};

}  // namespace ovrix::io
