#include "app/recipe/mesh_thumbnail.h"

#include <QPainter>
#include <QPixmapCache>

namespace ovrix::app {

namespace {

constexpr size_t kMostTriangles = 4000;  // more are not told apart at this size

struct Face {
    QPointF p[3];
    float depth, light;
};

std::vector<Face> facesOf(const ObjectView& object) {
    const Mesh& mesh = *object.mesh;
    // A corner of the room: right, up and towards the eye.
    const V3f eye = V3f(0.55f, 0.5f, 0.75f).normalized();
    const V3f right = V3f(0, 1, 0).cross(eye).normalized(), up = eye.cross(right);
    const V3f lamp = V3f(-0.3f, 0.8f, 0.5f).normalized();
    std::vector<uint32_t> corners;
    if (object.coarse && !object.coarse->empty() && mesh.triangles().size() > kMostTriangles)
        corners = *object.coarse;
    else
        for (const Triangle& t : mesh.triangles()) corners.insert(corners.end(), t.begin(), t.end());
    const size_t stride = std::max<size_t>(1, corners.size() / 3 / kMostTriangles);
    std::vector<Face> faces;
    for (size_t t = 0; 3 * t + 2 < corners.size(); t += stride) {
        V3f p[3];
        for (size_t k = 0; k < 3; ++k) p[k] = mesh.cornerPosition(corners[3 * t + k]);
        V3f n = (p[1] - p[0]).cross(p[2] - p[0]);
        if (!(n.length() > 0)) continue;
        n.normalize();
        if (n.dot(eye) < 0) n = -n;
        Face f{{}, (p[0] + p[1] + p[2]).dot(eye), 0.35f + 0.65f * std::max(0.0f, n.dot(lamp))};
        for (size_t k = 0; k < 3; ++k) f.p[k] = QPointF(double(p[k].dot(right)), -double(p[k].dot(up)));
        faces.push_back(f);
    }
    std::sort(faces.begin(), faces.end(), [](const Face& a, const Face& b) { return a.depth < b.depth; });
    return faces;
}

}  // namespace

QPixmap meshThumbnail(const ObjectView& object, const QColor& color, int size) {
    const QString key = QString("mesh %1 %2 %3").arg(object.hash).arg(color.rgb()).arg(size);
    QPixmap picture;
    if (QPixmapCache::find(key, &picture)) return picture;
    picture = QPixmap(size, size);
    picture.fill(Qt::transparent);
    const std::vector<Face> faces = facesOf(object);
    QRectF box;
    for (const Face& f : faces) box = box.united(QPolygonF({f.p[0], f.p[1], f.p[2]}).boundingRect());
    if (!faces.empty() && std::max(box.width(), box.height()) > 0) {
        QPainter p(&picture);
        p.setRenderHint(QPainter::Antialiasing);
        const double scale = 0.88 * size / std::max(box.width(), box.height());
        p.translate(size / 2.0, size / 2.0);
        p.scale(scale, scale);
        p.translate(-box.center());
        for (const Face& f : faces) {
            const QColor c(int(float(color.red()) * f.light), int(float(color.green()) * f.light),
                           int(float(color.blue()) * f.light));
            p.setPen(QPen(c, 0));  // closes the seams between faces
            p.setBrush(c);
            p.drawPolygon(f.p, 3);
        }
    }
    QPixmapCache::insert(key, picture);
    return picture;
}

}  // namespace ovrix::app
