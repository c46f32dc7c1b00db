// Strands on the graphics card: lines that are lit along their tangents, or ribbons as wide as they are.
#pragma once
#include <QMatrix4x4>
#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <memory>
#include <unordered_map>

#include "app/gl/gl_looks.h"
#include "app/session/eval_worker.h"

namespace ovrix::app {

class GlStrands : protected QOpenGLFunctions_3_3_Core {
  public:
    /// In the current context. Throws Error when the shaders do not build.
    void initialise();

    /// One layer's strands, or its guides.
    struct Batch {
        std::string layer;
        uint64_t hash = 0;
        Color color{0.5f};
        bool guides = false, roots = false, lines = true;
    };
    /// Of what is line art or has contours. Colours are as the screen takes them.
    struct Drawn {
        bool flat = false;   ///< in its colour and that of its shadow, in place of light
        float edge = -2.0f;  ///< light at which the shadow ends
        QVector3D lit, shadow;
        float pixels = 0.0f, metres = 0.0f;  ///< of the line to each side; one of both
        bool each = false;                   ///< around each strand, else around all of the layer
        QVector3D line;
        bool outlined() const { return pixels > 0.0f || metres > 0.0f; }
    };
    struct DrawSettings {
        deliver::ViewLight light = {};
        QMatrix4x4 viewProjection;
        V3f eye;
        float pixelSize = 0;       ///< metres across a pixel for each metre from the eye
        size_t budget = SIZE_MAX;  ///< segments to draw at most, of all batches: the first of each
        bool picking = false;
        QVector3D pick;     ///< set for each batch
        float fade = 1.0f;  ///< of what is no guide, while guides are being combed
        float dotSize = 4.0f;
        Drawn drawn;               ///< set for each batch
        GlLooks* looks = nullptr;  ///< by layer
        QVector4D mark = {};       ///< set for each batch: the colour of what is chosen, and how much of it
    };

    void beginUpdate();
    /// Uploads what is not there yet.
    void add(const Batch& batch, const PackedStrands& packed);
    void endUpdate();
    /// Strands that are being combed, drawn in place of a layer's guides; null to end that.
    void setCombed(const std::string& layer, const PackedStrands* packed);
    void drawCombed(const DrawSettings& settings, const QVector3D& color);

    const std::vector<Batch>& batches() const { return batches_; }
    void draw(const Batch& batch, const DrawSettings& settings, const QVector3D& color);
    size_t segmentCount() const { return segmentCount_; }

  private:
    struct Buffers {
        QOpenGLVertexArrayObject vao;
        QOpenGLBuffer vertices, indices{QOpenGLBuffer::IndexBuffer};
        std::vector<uint32_t> segmentEnd;
        bool wide = false, used = false;
    };
    void upload(Buffers& b, const PackedStrands& packed, GLenum usage);
    void drawBuffers(Buffers& b, const Batch& batch, const DrawSettings& settings, const QVector3D& color,
                     size_t strands);

    QOpenGLShaderProgram lines_, ribbons_;
    std::unordered_map<uint64_t, Buffers> buffers_;
    std::vector<Batch> batches_;
    std::unique_ptr<Buffers> combed_;
    std::string combedLayer_;
    size_t segmentCount_ = 0;  // of all batches that show their lines
};

}  // namespace ovrix::app
