// The program's log, on standard error.
#pragma once
#include <spdlog/spdlog.h>

namespace ovrix {
namespace log = spdlog;
}
