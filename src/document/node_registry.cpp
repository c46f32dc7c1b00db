#include "document/lights/area_light.h"
#include "document/lights/ball_light.h"
#include "document/lights/disk_light.h"
#include "document/lights/dome_image.h"
#include "document/lights/spot_light.h"
#include "document/lights/sun_and_sky.h"
#include "document/lights/tube_light.h"
#include "document/materials/cloud_material.h"
#include "document/materials/fibre_material.h"
#include "document/materials/line_art.h"
#include "document/materials/surface_material.h"
#include "document/model/node_types.h"
#include "document/objects/blade.h"
#include "document/objects/ground.h"
#include "document/objects/mesh_file.h"
#include "document/objects/plane.h"
#include "document/objects/sphere.h"
#include "document/objects/terrain.h"
#include "document/objects/torus.h"
#include "document/objects/tuft.h"
#include "document/types/camera.h"
#include "document/types/curve.h"
#include "document/types/field_pass.h"
#include "document/types/finish_settings.h"
#include "document/types/layer.h"
#include "document/types/settings.h"
#include "document/types/surroundings.h"

namespace ovrix::document {

/// A new type is its own header and source, one line here, one test.
const std::vector<NodeType>& nodeTypes() {
    static const std::vector<NodeType> types = {
        // objects
        meshFileType(), planeType(), sphereType(), torusType(), bladeType(), tuftType(), terrainType(),
        groundType(),
        // what lies on them, and goes along them
        layerType(), curveType(),
        // lights
        sunType(), areaLightType(), ballLightType(), diskLightType(), tubeLightType(), spotLightType(),
        domeImageType(), skyType(),
        // the rest
        cameraType(), surfaceMaterialType(), fibreMaterialType(), cloudMaterialType(), lineArtType(),
        fieldPassType(), renderSettingsType(), finishSettingsType(), surroundingsType(), sceneSettingsType()};
    return types;
}

}  // namespace ovrix::document
