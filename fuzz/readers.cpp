// libFuzzer's entry to one of the readers. Whatever it is given, it reads it or says in an Error why not.
#include <new>
#include <string_view>

#include "base/error.h"
#include "fuzz/read.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    static const auto read = [] {
        for (const ovrix::fuzz::Reader& r : ovrix::fuzz::readers())
            if (std::string_view(r.name) == OVRIX_READER) return r.read;
        __builtin_trap();
    }();
    try {
        read(data, size);
    } catch (const ovrix::base::Error&) {
    } catch (const std::bad_alloc&) {
    }
    return 0;
}
