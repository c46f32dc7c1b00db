// Offsets into buffers, as OpenGL's calls take them.
#pragma once
#include <cstddef>

namespace ovrix::app {

/// A place in the bound buffer, in bytes. Those calls name it a pointer since the days before buffers.
inline const void* bufferOffset(size_t bytes) {
    return reinterpret_cast<const void*>(bytes);  // NOLINT(performance-no-int-to-ptr)
}

}  // namespace ovrix::app
