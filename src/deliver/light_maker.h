// From the document to lights.
#pragma once
#include "eval/evaluator.h"
#include "io/image/image_io.h"
#include "render/light/lights.h"
#include "render/light/sky.h"

namespace ovrix::deliver {

/// Keeps skies and the tables of pictures as long as they are used. For one thread.
class LightMaker {
  public:
    explicit LightMaker(Evaluator& evaluator) : evaluator_(evaluator) {}
    /// Those that are rendered, in the document's order.
    /// @param problems  which were left out, and why
    std::vector<Light> make(const SceneContext& scene, double frame, std::vector<std::string>& problems);

  private:
    std::shared_ptr<const Image> sky(const SkyOptions& options);
    std::shared_ptr<const DomeTable> tableOf(const std::shared_ptr<const Image>& image);

    Evaluator& evaluator_;
    uint64_t skyHash_ = 0;
    std::shared_ptr<const Image> sky_;
    std::vector<std::shared_ptr<const DomeTable>> tables_;
};

}  // namespace ovrix::deliver
