// The passes of a picture that was written to a file.
#pragma once
#include "io/image/layered_picture.h"
#include "render/finish/picture_work.h"

namespace ovrix::deliver {

/// Those of an EXR, by the names that toPicture() gives them. What things are where comes from ranked ids by
/// the open Cryptomatte specification where they are there, else from the numbers of objects and layers with
/// the names in the file. Refers to the picture.
class FilePasses : public PicturePasses {
  public:
    explicit FilePasses(const LayeredPicture& file) : file_(file) {}
    int width() const override { return file_.picture.width; }
    int height() const override { return file_.picture.height; }
    std::vector<std::vector<float>> planes(Pass pass) const override;
    std::vector<float> matte(const std::set<std::string>& names) const override;
    std::vector<V3f> groupLight(const std::string& group) const override;

  private:
    bool addRanked(const std::string& layer, const std::set<std::string>& names,
                   std::vector<float>& out) const;
    bool addNumbered(const std::string& channel, const std::string& note, const std::set<std::string>& names,
                     std::vector<float>& out) const;
    const LayeredPicture& file_;
};

/// The light of a picture, without noise where it was denoised. Throws Error, naming the file, where it has
/// no colour.
std::vector<V3f> lightOf(const LayeredPicture& file, const std::string& name);

}  // namespace ovrix::deliver
