#include "base/error.h"

#include <filesystem>
#include <new>

#include "base/log.h"

namespace ovrix::base {

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

void logDetail(const std::string& file, const std::string& said) { log::info("{}: {}", file, said); }

std::string problemOf(const std::exception& exception) {
    if (const auto* own = dynamic_cast<const Error*>(&exception)) return own->what();
    if (dynamic_cast<const Cancelled*>(&exception)) return "stopped";
    if (dynamic_cast<const std::bad_alloc*>(&exception))
        return "There was not enough memory. Lower the count, work in Draft, or close other programs";
    if (const auto* file = dynamic_cast<const std::filesystem::filesystem_error*>(&exception))
        return sentence(file->code().message(), file->path1().string(), {});
    // What a library or our own code says of itself helps those who mend it, and nobody else.
    log::error("{}", exception.what());
    return "Something went wrong inside the program. What was open stays as it was; save it under another "
           "name";
}

}  // namespace ovrix::base
