#include "ops/step.h"

#include <fmt/format.h>

namespace ovrix::ops {

std::string phaseName(Phase phase) {
    static const char* names[] = {"place", "shape", "move", "look"};
    return names[size_t(phase)];
}

std::string byteText(double bytes) {
    if (bytes >= 1e9) return fmt::format("{:.1f} GB", bytes / 1e9);
    if (bytes >= 1e6) return fmt::format("{:.0f} MB", bytes / 1e6);
    return fmt::format("{:.0f} kB", bytes / 1e3);
}

void requireMemory(double bytes, size_t limit, double elements) {
    if (bytes <= double(limit)) return;
    throw Error(fmt::format("{:.3g} elements would take {}, more than the limit of {}", elements,
                            byteText(bytes), byteText(double(limit))),
                {}, "Lower the count or density, work in Draft, or raise the memory limit in Preferences");
}

}  // namespace ovrix::ops
