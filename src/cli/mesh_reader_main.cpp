// The process that reads one mesh file and writes it to file descriptor 3, or looks whether a .vdb file can
// be read at all. See io/mesh_reader.h.
#include <sys/resource.h>
#include <unistd.h>

#include "io/mesh_blob.h"
#include "io/mesh_import.h"
#include "io/vdb_points.h"

static bool writeAll(const std::string& bytes) {
    size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::write(3, bytes.data() + done, bytes.size() - done);
        if (n <= 0) return false;
        done += size_t(n);
    }
    return true;
}

int main(int argc, char** argv) {
    if (argc != 2) return 2;
        // A damaged file may ask for any amount of memory; refuse rather than push the machine into swapping.
#if !defined(__SANITIZE_ADDRESS__)
    const rlimit memory{rlim_t(12) << 30, rlim_t(12) << 30};
    ::setrlimit(RLIMIT_AS, &memory);
#endif
    const rlimit core{0, 0};
    ::setrlimit(RLIMIT_CORE, &core);
    std::string problem, where = argv[1], remedy;
    try {
        if (std::string_view(argv[1]).ends_with(".vdb")) return ovrix::readAllOfVdb(argv[1]), 0;
        return writeAll(ovrix::packMesh(ovrix::importMesh(argv[1]))) ? 0 : 3;
    } catch (const ovrix::Error& e) {
        problem = e.problem(), where = e.where(), remedy = e.remedy();
    } catch (const std::exception& e) {
        problem = std::string("could not be read (") + e.what() + ")";
        remedy = "The file may be damaged; write it again from where it came";
    }
    writeAll(problem + '\0' + where + '\0' + remedy);
    return 1;
}
