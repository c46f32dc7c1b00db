#include "bare_vdb.h"

#include <fcntl.h>
#include <openvdb/io/Stream.h>
#include <openvdb/openvdb.h>
#include <openvdb/points/PointDataGrid.h>
#include <unistd.h>

#include <fstream>

namespace vdb = openvdb;

namespace ovrix::bench {

struct BareVdb::Grids {
    vdb::GridCPtrVec all;
    vdb::MetaMap meta;
};

BareVdb::BareVdb(const std::filesystem::path& path) : grids_(std::make_unique<Grids>()) {
    vdb::initialize();
    std::ifstream in(path, std::ios::binary);
    vdb::io::Stream stream(in);
    for (const auto& grid : *stream.getGrids()) grids_->all.push_back(grid);
    grids_->meta = *stream.getMetadata();
}

BareVdb::~BareVdb() = default;

void BareVdb::write(const std::filesystem::path& path) const {
    std::ofstream file(path, std::ios::binary);
    vdb::io::Stream out(file);
    out.setCompression(vdb::io::COMPRESS_BLOSC | vdb::io::COMPRESS_ACTIVE_MASK);
    out.write(grids_->all, grids_->meta);
    file.close();
    const int handle =
        ::open(path.c_str(), O_RDONLY);  // as a bake does it: it is on the disk, or was not written
    ::fsync(handle);
    ::close(handle);
}

}  // namespace ovrix::bench
