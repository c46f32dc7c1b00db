// The scene on the graphics card.
#pragma once
#include <QMatrix4x4>
#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <map>
#include <memory>
#include <unordered_map>

#include "app/gl/draw_level.h"
#include "app/gl/gl_looks.h"
#include "app/gl/gl_points.h"
#include "app/gl/gl_strands.h"
#include "app/session/eval_worker.h"

namespace ovrix::app {

class GlScene : protected QOpenGLFunctions_3_3_Core {
  public:
    ~GlScene() override;
    /// In the current context. Throws Error when OpenGL 3.3 is missing.
    void initialise();
    /// Takes over a snapshot; uploads only what changed.
    void update(const EvalSnapshot& snapshot);

    struct Options {
        QMatrix4x4 viewProjection;
        V3f eye;
        std::string selected;
        bool moving = false;
        bool picking = false;
        bool objectsOnly = false;  ///< without what layers make
        float dotSize = 2.0f;
        QSizeF size = {1, 1};      ///< of the view in pixels as the interface counts them, on any screen
        float pictureHeight = 1;   ///< of the camera's picture in it, in the same
        float pixelSize = 0.001f;  ///< metres across one of them for each metre from the eye
        std::string combing;       ///< the layer whose guides are being combed
        deliver::ViewLight light = {};
        float zone = -1.0f;  ///< shows the overlay as what lies over this value and what does not
    };
    void draw(const Options& options);
    void drawGrid(const QMatrix4x4& viewProjection, const V3f& eye, float step);
    /// Node ids by the numbers that a picking draw writes; 0 is nothing.
    const std::vector<std::string>& pickIds() const { return pickIds_; }
    bool software() const { return software_; }
    const std::vector<CopyBatch>& batches() const { return batches_; }
    size_t trianglesDrawn() const { return trianglesDrawn_; }
    GlStrands& strands() { return strands_; }
    const GlPoints& points() const { return points_; }

  private:
    struct MeshBuffers {
        QOpenGLVertexArrayObject vao;
        QOpenGLBuffer vertices, indices{QOpenGLBuffer::IndexBuffer}, heat;
        GLsizei count = 0, coarseCount = 0;
        uint64_t heatHash = 0;
        Box3f bounds;
        bool used = false;
    };
    struct EdgeBuffers {
        QOpenGLVertexArrayObject vao;
        QOpenGLBuffer vertices;
        EdgeLines of;
        GLsizei count = 0;
        bool used = false;
    };
    struct BatchBuffer {
        QOpenGLBuffer buffer;
        size_t count = 0;
        bool shaped = false;
        bool used = false;
    };
    struct ObjectDraw {
        std::string id, surfaceOf;
        uint64_t mesh;
        M44f world;
        Color color;
        bool overlay;
    };
    MeshBuffers& meshBuffers(const ObjectView& object);
    void setDrawn(const EvalSnapshot& snapshot, const std::string& wearer, const std::string& material);
    const document::DrawnLook* linesOf(const std::string& wearer, const Options& o) const;
    template <class Draw>
    void drawMarked(const Draw& draw);
    /// Draws it, and then its backs, wider: what stands out from it is its contour, and what stands out
    /// before itself, where it hides itself.
    /// @param many  copies
    template <class Draw>
    void drawOutlined(const std::string& wearer, const Options& o, float away, bool mirrored, bool many,
                      const Draw& draw);
    void setEdges(const EvalSnapshot& snapshot);
    /// After drawOutlined() of the same thing.
    /// @param bind  gives the array that is bound its copies, or one at its place; @p release takes them away
    template <class Bind, class Draw, class Release>
    void drawEdges(const std::string& wearer, const std::string& object, const Options& o,
                   const QMatrix4x4& model, const Bind& bind, const Draw& draw, const Release& release);
    void setHeat(MeshBuffers& buffers, const Overlay* overlay);
    void bindLook(const std::string& key, GLuint divisor);
    void bindDrawn(const std::string& wearer);
    void addObject(const EvalSnapshot& snapshot, const Node& node, const Overlay* overlay);
    void addLayer(const EvalSnapshot& snapshot, const Node& node);
    void addBatches(const EvalSnapshot& snapshot, const Node& layer, const Copies& copies);
    void addPoints(const EvalSnapshot& snapshot, const Node& layer, const AttributeSet& points);
    void addStrands(const EvalSnapshot& snapshot, const Node& layer);
    void drawStrands(const Options& options);
    void drawPoints(const Options& options);
    bool hasGuides(const std::string& layer) const;
    GlStrands::Drawn drawnStrands(const std::string& layer, const Options& options) const;
    void bindInstances(BatchBuffer& batch, GLuint divisor);
    void releaseInstances();
    void drawDots(const CopyBatch& batch, BatchBuffer& buffer);
    void drawBoxes(const CopyBatch& batch, BatchBuffer& buffer, const Box3f& box, const M44f& own);
    void drawBatch(const CopyBatch& batch, const Options& options);
    void drawObject(const ObjectDraw& object, const Options& options);
    void drawAll(const Options& options, bool clear);
    void setUniforms(const Options& options);
    void dropUnused();
    void setColor(const Color& color, bool selected);
    int pickNumber(const std::string& id);

    QOpenGLShaderProgram program_, lines_, edgeLines_;
    GlStrands strands_;
    GlPoints points_;
    GlLooks looks_;
    std::unordered_map<uint64_t, MeshBuffers> meshes_;
    std::unordered_map<uint64_t, BatchBuffer> buffers_;
    std::map<std::pair<std::string, std::string>, EdgeBuffers> edges_;
    std::vector<ObjectDraw> objects_;
    std::vector<CopyBatch> batches_;
    std::map<std::string, Color> colors_;
    std::map<std::string, document::DrawnLook> drawn_;  ///< by who wears it
    std::map<std::string, M44f> prototypeMatrix_;
    std::vector<std::string> pickIds_;
    QOpenGLVertexArrayObject boxVao_, dotVao_, gridVao_;
    QOpenGLBuffer boxBuffer_, gridBuffer_;
    bool software_ = false, ready_ = false;
    size_t trianglesDrawn_ = 0;
    int mark_ = 0;  ///< of the pixels of what was drawn last that has contours
};

}  // namespace ovrix::app
