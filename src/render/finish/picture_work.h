// A picture that is being finished: its light, the passes that it comes with, and the step that is at work.
#pragma once
#include <set>

#include "field/field.h"
#include "render/film/film.h"
#include "render/scene/camera.h"

namespace ovrix::render {

/// What a picture comes with beside its light: a film's, or those of a file. Thread safe.
class PicturePasses {
  public:
    virtual ~PicturePasses() = default;
    virtual int width() const = 0;
    virtual int height() const = 0;
    /// channelsOf(pass) planes, rows from the top; empty where the picture comes without it.
    virtual std::vector<std::vector<float>> planes(Pass pass) const = 0;
    /// How much of each pixel is of objects, layers or materials that bear one of these names, 0 to 1.
    /// Empty where the picture does not know.
    virtual std::vector<float> matte(const std::set<std::string>& names) const = 0;
    /// The light of a group of lights, as it was rendered; empty where the picture does not keep it apart.
    virtual std::vector<V3f> groupLight(const std::string& group) const = 0;
};

/// Those of a film. Refers to it, and to the names.
class FilmPasses : public PicturePasses {
  public:
    using Names = std::map<uint32_t, std::string>;
    /// @param clean    of each of the film's groups its light without noise; null where that is not known
    /// @param factors  see lightsOf()
    FilmPasses(const Film& film, const Names& objects, const Names& layers, const Names& materials,
               const std::vector<std::vector<V3f>>* clean = nullptr,
               const std::vector<float>* factors = nullptr)
        : film_(film),
          objects_(objects),
          layers_(layers),
          materials_(materials),
          clean_(clean),
          factors_(factors) {}
    int width() const override { return film_.width(); }
    int height() const override { return film_.height(); }
    std::vector<std::vector<float>> planes(Pass pass) const override;
    std::vector<float> matte(const std::set<std::string>& names) const override;
    std::vector<V3f> groupLight(const std::string& group) const override;

  private:
    const Film& film_;
    const Names &objects_, &layers_, &materials_;
    const std::vector<std::vector<V3f>>* clean_;
    const std::vector<float>* factors_;
};

/// Which part of the first picture the pixels show, in its pixels: steps that crop change it.
struct PictureWindow {
    double x = 0, y = 0, width = 0, height = 0;
    bool operator==(const PictureWindow&) const = default;
};

/// What holds for all steps on a picture.
struct PictureSetting {
    const PicturePasses& passes;
    CameraOptions camera = {};
    double frame = 1;
    float gain = 1;                 ///< from light as it was rendered to that of the work
    ImageSource* images = nullptr;  ///< null where none can be had
    /// What things are called by their ids in the document.
    std::function<std::string(const std::string& id)> nameOf = {};
    bool draft = false;  ///< to be looked at while numbers change: quicker, and less fine
};

struct PictureWork {
    int width = 0, height = 0;
    std::vector<V3f> light = {};  ///< linear Rec.709, rows from the top; 1 is white
    std::vector<float> alpha = {};
    PictureWindow window = {};
    const PictureSetting& setting;
    const ResolvedParams& params;
    Progress& progress;
    std::vector<std::string>& notes;  ///< what the artist should know

    size_t count() const { return light.size(); }
    size_t indexOf(int x, int y) const { return size_t(y) * size_t(width) + size_t(x); }
    /// Parts of the picture's height as pixels, so that other sizes look alike.
    float pixels(double percent) const { return float(percent / 100.0 * wholeHeight()); }
    /// Rows that the whole picture would have at this scale.
    double wholeHeight() const;
    /// A pass as it lies on the pixels now, nearest first. Throws Error where the picture comes without it.
    std::vector<std::vector<float>> planes(Pass pass) const;
    /// The same of three channels.
    std::vector<V3f> vectors(Pass pass) const;
    /// Metres along the line of sight; 0 where there is nothing.
    std::vector<float> depth() const { return std::move(planes(Pass::Depth)[0]); }
    /// Where the pixels' things stand in the world; far along the line of sight where there is nothing.
    std::vector<V3f> positions() const;
    /// See PicturePasses::matte(), by ids. Throws Error where the picture does not know.
    std::vector<float> matte(const Refs& ids) const;
    /// The light of a group of lights on the pixels, in the work's units. Throws Error where it is not kept
    /// apart.
    std::vector<V3f> groupLight(const std::string& group) const;
    /// Places of the pixels' middles on the whole picture, both 0 to 1, y down.
    V2f placeOf(int x, int y) const;

  private:
    std::vector<float> onPixels(std::vector<float> plane) const;
};

/// Light between pixels, by the four around it; beyond the edges as at them.
V3f sampled(const PictureWork& work, const std::vector<V3f>& light, float x, float y);

/// Means by a bell curve of that standard deviation in pixels; beyond the edges as at them. Kernels reach
/// three deviations. Throws Cancelled.
std::vector<V3f> blurred(const std::vector<V3f>& light, int width, int height, float deviation,
                         Progress& progress);

}  // namespace ovrix::render
