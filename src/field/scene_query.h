// What fields and steps may ask of the rest of the scene.
#pragma once
#include <set>
#include <string>

#include "geo/fwd.h"
#include "geo/points/elements.h"

namespace ovrix::base {
struct Image;
}

namespace ovrix::field {

/// Gives what the other nodes of the scene make, in world space. Made by the evaluation; used by one thread
/// at a time. Its functions throw Error, which names the node, when it is missing, cannot be made, or depends
/// on the asker itself; and Cancelled.
class SceneQuery {
  public:
    virtual ~SceneQuery() = default;
    enum class Kind { Object, Layer, Curve };
    virtual Kind kindOf(const std::string& id) = 0;
    /// An object, or the copies of a layer as one mesh.
    virtual SurfacePtr surface(const std::string& id) = 0;
    /// What a layer makes.
    virtual Geometry elements(const std::string& layer) = 0;
    /// An object in its own space, and where it stands: asked again at another frame, an object that only
    /// moves gives the same shape. The copies of a layer stand where they are.
    struct Placed {
        SurfacePtr shape;
        M44f world;
    };
    virtual Placed placed(const std::string& id) = 0;
    /// An object's mesh in its own space.
    virtual MeshPtr mesh(const std::string& object) = 0;
    /// The strands that an object is made of, as its mesh has them; null when it is made of none.
    virtual std::shared_ptr<const StrandSet> strands(const std::string& object) = 0;
    /// A curve, in the world.
    virtual std::shared_ptr<const CurveSet> curves(const std::string& id) = 0;
    /// The points of a file.
    virtual std::shared_ptr<const PointSet> points(const std::string& file) = 0;
    /// The strands of a file.
    virtual std::shared_ptr<const StrandSet> strandFile(const std::string& file) = 0;
    /// The frames of a sequence of files that are there.
    virtual std::set<int> framesOf(const std::string& pattern) = 0;
    /// A grid of vectors of a file; the first where no name is given.
    virtual VectorGridPtr vectors(const std::string& file, const std::string& grid) = 0;
    /// Of a camera's picture: from the world to (u w, v w, w, w) of row vectors: w is metres along the line
    /// of sight, u and v are 0 to 1 in the picture, v up.
    virtual M44f projection(const std::string& camera) = 0;
    virtual std::shared_ptr<const Image> image(const std::string& file, const std::string& space) = 0;
};

}  // namespace ovrix::field
