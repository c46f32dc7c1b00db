// Points of layers in the view: dots, balls as large as they are, and lines along their ways.
#pragma once
#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <unordered_map>

#include "eval/showing.h"

namespace ovrix::app {

/// All functions in the context that it was initialised in.
class GlPoints : protected QOpenGLFunctions_3_3_Core {
  public:
    /// Throws Error.
    void initialise();
    void beginUpdate();
    void endUpdate();  ///< drops what was not added since beginUpdate()
    /// @param key  of what the points are and of how they are seen  @param color  of those without their own
    void add(const std::string& layer, uint64_t key, const Color& color,
             const std::function<deliver::PointsInView()>& points);

    struct Batch {
        std::string layer;
        uint64_t key;
        Color color;
    };
    const std::vector<Batch>& batches() const { return batches_; }
    struct Settings {
        QMatrix4x4 viewProjection;
        V3f eye;
        float dotSize = 2.0f, pixelSize = 0.001f;  ///< see GlScene::Options
        float deviceRatio = 1.0f;
        bool picking = false;
        QVector3D pick;
        QVector4D mark;          ///< a colour, and how much of it lies over the points'
        size_t most = SIZE_MAX;  ///< fewer where there are more, from all over
    };
    void draw(const Batch& batch, const Settings& settings);
    /// What a layer's points are coloured by; no channel for nothing.
    struct Legend {
        std::string channel;
        float least = 0.0f, most = 0.0f;
    };
    Legend legendOf(const std::string& layer) const;

  private:
    struct Buffer {
        QOpenGLVertexArrayObject vao;
        QOpenGLBuffer vertices;
        size_t count = 0;
        bool lines = false, used = false;
        Legend legend;
    };
    QOpenGLShaderProgram program_;
    std::unordered_map<uint64_t, Buffer> buffers_;
    std::vector<Batch> batches_;
};

}  // namespace ovrix::app
