#include "base/error.h"

namespace ovrix {

static std::string sentence(const std::string& what, const std::string& where, const std::string& remedy) {
    std::string text = where.empty() ? what : where + ": " + what;
    if (!remedy.empty()) text += ". " + remedy;
    return text;
}

Error::Error(const std::string& what, std::string where, std::string remedy)
    : std::runtime_error(sentence(what, where, remedy)),
      problem_(what),
      where_(std::move(where)),
      remedy_(std::move(remedy)) {}

Error Error::within(const std::string& place) const {
    return Error(problem_, where_.empty() ? place : place + ", " + where_, remedy_);
}

}  // namespace ovrix
