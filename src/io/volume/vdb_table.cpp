#include "io/volume/vdb_library.h"

extern "C" {
extern const ovrix::VdbLibrary ovrixVolumes;
const ovrix::VdbLibrary ovrixVolumes = {ovrix::putVdbPoints,   ovrix::prepareStateVdb, ovrix::putVectorGrid,
                                        ovrix::parseStateVdb,  ovrix::parseVdbPoints,  ovrix::parseVdbInfo,
                                        ovrix::parseVectorGrid};
}
