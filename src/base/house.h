// The folders of the house as namespaces. Each sees the names of those below it and none above, so what a
// folder may know is held by the compiler, too.
#pragma once

namespace ovrix {

namespace base {}
namespace params {
using namespace base;
}
namespace geo {
using namespace params;
}
namespace field {
using namespace geo;
}
namespace ops {
using namespace field;
}
namespace sim {
using namespace ops;
}
namespace render {
using namespace sim;
}
namespace io {
using namespace render;
}
namespace document {
using namespace io;
}
namespace eval {
using namespace document;
}
namespace deliver {
using namespace eval;
}
namespace cli {
using namespace deliver;
}
namespace app {
using namespace deliver;
}

}  // namespace ovrix
