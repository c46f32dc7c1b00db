// What a simulation depends on at all frames, as one number: when it changes, what was simulated no longer
// holds.
#pragma once
#include <functional>
#include <map>

#include "document/model/document.h"

namespace ovrix::eval {

class SimulationKey {
  public:
    /// @param stamp  changes when the file of that path does
    SimulationKey(const Document& document, std::function<uint64_t(const std::string&)> stamp)
        : document_(document), stamp_(std::move(stamp)) {}

    /// Of all that the steps of @p recipe up to the one at @p place (with its parts), what the layer lies on,
    /// and everything that they refer to hold, with all keys. Where the layer is shown, how it looks and what
    /// a bake of it is used for are no part of it.
    uint64_t upTo(const Node& recipe, size_t index);

  private:
    void addParam(Hasher& hasher, const ParamSpec& spec, const Param& param);
    /// @param leftOut  those that affect this do not count; Result for none
    void addParams(Hasher& hasher, const std::vector<ParamSpec>& specs, const ParamMap& params,
                   Affects leftOut);
    void addStep(Hasher& hasher, const Step& step);
    /// A node and all that it refers to; again, only its place among those that are being worked on.
    uint64_t node(const std::string& id);
    uint64_t picture(const Node& camera);

    const Document& document_;
    std::function<uint64_t(const std::string&)> stamp_;
    std::map<std::string, uint64_t> known_;
    std::vector<std::string> open_;
    size_t entered_ = SIZE_MAX;  ///< the place in open_ of the first node that a circle led back to
};

}  // namespace ovrix::eval
