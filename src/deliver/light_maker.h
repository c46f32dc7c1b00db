// From the document to lights.
#pragma once
#include "eval/evaluator.h"
#include "io/image/image_io.h"
#include "render/light/lights.h"
#include "render/light/sky.h"

namespace ovrix::deliver {

/// Names of the groups of lights that a picture keeps apart. The first is that of all which has no name;
/// names that differ in blanks at their ends alone are one.
class LightGroups {
  public:
    /// The number of a name.
    uint32_t numberOf(const std::string& name);
    /// Empty where none has a name.
    const std::vector<std::string>& names() const { return names_; }
    void clear() { names_.clear(); }

  private:
    std::vector<std::string> names_;
};

/// Keeps skies and the tables of pictures as long as they are used. For one thread.
class LightMaker {
  public:
    /// @param groups  to which those of the lights are added
    explicit LightMaker(Evaluator& evaluator, LightGroups& groups) : evaluator_(evaluator), groups_(groups) {}
    /// Those that are rendered, in the document's order.
    /// @param problems  which were left out, and why
    std::vector<Light> make(const SceneContext& scene, double frame, std::vector<std::string>& problems);

  private:
    std::shared_ptr<const Image> sky(const SkyOptions& options);
    std::shared_ptr<const DomeTable> tableOf(const std::shared_ptr<const Image>& image);

    Evaluator& evaluator_;
    LightGroups& groups_;
    uint64_t skyHash_ = 0;
    std::shared_ptr<const Image> sky_;
    std::vector<std::shared_ptr<const DomeTable>> tables_;
};

}  // namespace ovrix::deliver
