// What is told of OpenVDB files between the reading process and the program.
#pragma once
#include "geo/volume/vector_grid.h"
#include "io/points/elements_info.h"

namespace ovrix::io {

std::string packInfo(const ElementsInfo& info);
std::string packGrid(const VectorGrid& grid);

}  // namespace ovrix::io
