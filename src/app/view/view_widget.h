// The 3D view.
#pragma once
#include <QOpenGLWidget>
#include <memory>

#include "app/gl/gl_scene.h"
#include "app/gl/lens_blur.h"
#include "app/view/brush_tool.h"
#include "app/view/comb_tool.h"
#include "app/view/curve_tool.h"
#include "app/view/element_tool.h"
#include "app/view/handles.h"
#include "app/view/light_tool.h"
#include "app/view/orbit_camera.h"

class QTimer;
class QToolButton;
class QButtonGroup;

namespace ovrix::app {

/// What lies over the picture: legend, handles, signs of lights and cameras.
class ViewOverlay;

class ViewWidget : public QOpenGLWidget {
    Q_OBJECT
  public:
    explicit ViewWidget(Controller& controller, QWidget* parent = nullptr);
    ~ViewWidget() override;

    const OrbitCamera& camera() const { return camera_; }
    /// Through the scene's camera, as long as the view is not turned.
    /// Thirds and safe areas over the camera's picture; kept for all scenes.
    void toggleGuides();
    bool guides() const { return guides_; }
    /// Depth of field of the scene's camera, where the view looks through it; kept for all scenes.
    void toggleDepthOfField();
    bool depthOfField() const { return depthOfField_; }
    /// Whether what is seen has all of its depth of field, or none is asked for.
    bool sharpened() const { return !blursNow() || (lensBlur_ && lensBlur_->finished()); }
    /// Where the picture of the scene's camera lies in the view that looks through it.
    QRectF pictureRect() const;
    void lookThroughCamera();
    /// From the chosen light, which goes where the view goes until it looks from elsewhere.
    void lookFromLight();
    bool throughCamera() const { return throughCamera_; }
    /// Of the object or layer that is chosen, in the world; else of all that is shown.
    Box3f boundsOfChosen() const;
    /// The scene's own light, or a neutral one.
    void toggleSceneLight();
    void frameAll();
    void frameSelected();
    void setTool(Tool tool);
    /// What lies under a point: a node's id, or empty.
    std::string pick(const QPoint& at);
    /// A heat map is on the surface and drawn.
    bool showsOverlay() const;
    /// The value from which the heat map counts a place as inside; nothing while it shows all values.
    std::optional<float> zone() const { return zone_; }
    const GlScene* scene() const { return scene_.get(); }
    /// Seconds spent so far in drawing the scene by OpenGL.
    double drawSeconds() const { return drawSeconds_; }
    /// The picture's pixel of a place in the world, or nothing behind the eye.
    std::optional<QPointF> project(const V3f& p) const;
    const ElementTool& elements() const { return *elements_; }
    const BrushTool& brush() const { return *brush_; }
    CombTool& comb() { return *comb_; }
    /// The place of an object's surface at a pixel, else of the level ground; nothing in the sky.
    std::optional<V3f> placeAt(const QPoint& at);

  Q_SIGNALS:
    void cameraChanged();
    void toolChanged(Tool tool);

  protected:
    void initializeGL() override;
    void paintGL() override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;
    void tabletEvent(QTabletEvent*) override;

  private:
    friend class ViewOverlay;
    void refresh();
    /// A place of the lens that the view is drawn from.
    struct OnLens {
        V2f away{0, 0};      ///< metres to the right and above its middle
        float focus = 1.0f;  ///< metres along the line of sight that are sharp
    };
    void drawScene(const OnLens& from);
    bool blursNow() const;
    OnLens nextOnLens() const;
    void drawForPicking(const QPoint& at, bool objectsOnly, const std::function<void(int x, int y)>& read);
    QMatrix4x4 viewProjection() const { return viewProjection(OnLens()); }
    QMatrix4x4 viewProjection(const OnLens& from) const;
    Camera lens() const;
    CameraOptions cameraNow() const;
    void moved();
    void paintMarked(QPainter& p, const ViewPort& view) const;
    void paintOver(QPainter& p);
    void paintGuides(QPainter& p);
    void steer();
    void paintLegend(QPainter& p);
    void paintPointLegend(QPainter& p);
    QRectF legendBox() const;
    QRectF legendBar() const;
    bool dragZone(const QPointF& at);
    void paintNodes(QPainter& p);
    void paintOutline(QPainter& p, const Node& node);
    std::vector<std::vector<V3f>> outlineOf(const Node& node) const;
    std::optional<V3f> signPlace(const Node& node) const;
    void paintGridLabel(QPainter& p);
    void stackTools();
    void layOutTools();
    void makeZoneButton();
    Box3f boundsOfNode(const Node& node) const;
    Box3f boundsOfAll() const;
    float gridStep() const;
    ViewPort port();
    Projection projection() const;
    float handleUnit() const;

    Controller& controller_;
    OrbitCamera camera_;
    bool guides_ = false, depthOfField_ = false;
    std::unique_ptr<LensBlur> lensBlur_;
    bool throughCamera_ = true, moving_ = false, stale_ = true;
    std::unique_ptr<GlScene> scene_;
    QString missing_;
    Handles handles_;
    BrushTool* brush_ = nullptr;
    ElementTool* elements_ = nullptr;
    CurveTool* curves_ = nullptr;
    LightTool* lights_ = nullptr;
    std::string steered_;  ///< the light that goes with the view; empty for none
    CombTool* comb_ = nullptr;
    std::shared_ptr<const PackedStrands> combShown_;  // what the card has of a stroke
    double drawSeconds_ = 0;
    float pressure_ = 1.0f;  // of a tablet's pen; a mouse presses fully
    QPoint last_, press_;
    std::optional<float> zone_;
    bool draggingZone_ = false;
    QToolButton* lightButton_ = nullptr;
    bool sceneLight_ = false;  ///< or a neutral one
    QToolButton* zoneButton_ = nullptr;
    QWidget* tools_ = nullptr;
    QWidget* overlay_ = nullptr;
    QButtonGroup* toolGroup_ = nullptr;
    QTimer* rest_;
};

/// A text in place of the view where the platform has no OpenGL; empty when it has.
QString missingOpenGl();

}  // namespace ovrix::app
