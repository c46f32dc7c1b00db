// The program's log, on standard error.
#pragma once
#include <spdlog/spdlog.h>

#include "base/house.h"

namespace ovrix::base {
namespace log = spdlog;
}
