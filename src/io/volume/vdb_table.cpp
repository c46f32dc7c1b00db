#include "io/volume/vdb_library.h"

extern "C" {
extern const ovrix::io::VdbLibrary ovrixVolumes;
const ovrix::io::VdbLibrary ovrixVolumes = {ovrix::io::putVdbPoints,   ovrix::io::prepareStateVdb,
                                            ovrix::io::putVectorGrid,  ovrix::io::parseStateVdb,
                                            ovrix::io::parseVdbPoints, ovrix::io::parseVdbInfo,
                                            ovrix::io::parseVectorGrid};
}
