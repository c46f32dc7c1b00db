// Screens, and colour configurations of others, through OpenColorIO.
#pragma once
#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "render/finish/finish.h"

namespace ovrix::io {

/// Screens that the program knows by itself: "sRGB", "Display P3".
const std::vector<std::string>& screenNames();
/// From linear Rec.709; null for sRGB, which needs none. Throws Error for another name.
std::shared_ptr<const DisplayTransform> screenTransform(const std::string& screen);

/// A configuration in the open format of OpenColorIO.
class ColorConfig {
  public:
    /// Throws Error, naming the file, where it is none or damaged; of an empty path that which the variable
    /// OCIO of the environment names.
    static std::shared_ptr<const ColorConfig> open(const std::filesystem::path& path);
    virtual ~ColorConfig() = default;
    /// Its displays, and the views of each.
    virtual std::vector<std::string> displays() const = 0;
    virtual std::vector<std::string> views(const std::string& display) const = 0;
    /// From linear Rec.709 to a view of a display; empty names for the configuration's own first ones. Throws
    /// Error where it has none of that name, or does not say what linear Rec.709 is.
    virtual std::shared_ptr<const DisplayTransform> view(const std::string& display,
                                                         const std::string& name) const = 0;
};

}  // namespace ovrix::io
