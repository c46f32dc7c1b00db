// What runs in the reading process: see confined_reader.h.
#include <unistd.h>

#include <charconv>

#include "base/error.h"
#include "io/formats/format.h"
#include "io/mesh/mesh_blob.h"
#include "io/mesh/mesh_import.h"
#include "io/process/confine.h"
#include "io/process/confined_reader.h"
#include "io/state/state_blob.h"
#include "io/volume/vdb_blob.h"
#include "io/volume/vdb_library.h"

namespace ovrix::io {

static bool writeAll(const std::string& bytes) {
    size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::write(3, bytes.data() + done, bytes.size() - done);
        if (n <= 0) return false;
        done += size_t(n);
    }
    return true;
}

static size_t numberAt(const std::string& text) {
    size_t n = 0;
    std::from_chars(text.data(), text.data() + text.size(), n);
    return n;
}

static std::string read(Reading what, const std::string& path, const std::vector<std::string>& more) {
    switch (what) {
        case Reading::Mesh:
            requireFormat(path, Use::ReadMesh);
            return packMesh(importMesh(path));
        case Reading::Frame:
            return packState(vdbLibrary().parseState(path));
        case Reading::Points:
            return packState({{{"points", vdbLibrary().parsePoints(path).attributes}}, {}});
        case Reading::PointsInfo:
            return packInfo(vdbLibrary().parseInfo(path));
        case Reading::Vectors:
            return packGrid(vdbLibrary().parseGrid(path, more.empty() ? "" : more[0],
                                                   more.size() > 1 ? numberAt(more[1]) : 0));
    }
    throw Error("nothing is asked for");
}

int readingProcess(int argc, char** argv) {
    const std::vector<std::string> words(argv, argv + argc);
    if (words.size() < 5) return 2;
    const std::filesystem::path path(words[2]);
    const auto what = Reading(numberAt(words[1]));
    std::string problem, where = words[2],
                         remedy = "The file may be damaged; write it again from where it came";
    try {
        if (what != Reading::Mesh) vdbLibrary();  // while it may still open what is no part of the question
        // A link is read where it leads, and what the file names lies beside either.
        std::error_code code;
        const std::filesystem::path target = std::filesystem::weakly_canonical(path, code);
        confineToReading({path.parent_path(), code ? path.parent_path() : target.parent_path()},
                         {numberAt(words[3]), unsigned(numberAt(words[4]))});
        return writeAll(read(what, words[2], {words.begin() + 5, words.end()})) ? 0 : 3;
    } catch (const Error& e) {
        problem = e.problem(), where = e.where().empty() ? where : e.where(), remedy = e.remedy();
    } catch (const std::bad_alloc&) {
        problem = "takes more memory than the scene may", remedy = "Raise the memory limit in Preferences";
    } catch (const std::exception&) {
        problem = "could not be read";
    }
    writeAll(problem + '\0' + where + '\0' + remedy);
    return 1;
}

}  // namespace ovrix::io
