#include "app/recipe/atlas_editor.h"

#include <QKeyEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPointer>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "base/error.h"
#include "base/srgb.h"
#include "params/number_text.h"

namespace ovrix::app {

namespace {

constexpr int kLargest = 512;  // pixels of the picture that is kept

/// The first image that a field of the material reads, and the space that it is in.
std::pair<std::string, std::string> imageOf(const Document& d, const std::string& blade) {
    const Node* node = d.find(blade);
    const Node* material = node ? d.find(d.value(blade, kObject.object.material)) : nullptr;
    if (!material) return {};
    for (const char* param : {"base_color", "geometry_opacity"}) {
        const auto it = material->params.find(param);
        if (it == material->params.end() || !it->second.field) continue;
        for (const FieldSource& s : it->second.field->sources) {
            const SourceType* type = findSourceType(s.type);
            if (!type || type->image.empty()) continue;
            const auto text = [&](const std::string& id) {
                return std::get<std::string>(paramOr(*findSpec(type->params, id), s.params).value);
            };
            if (!text(type->image).empty()) return {text(type->image), text("space")};
        }
    }
    return {};
}

QImage smallCopy(const Image& image) {
    const int step = std::max(1, std::max(image.width, image.height) / kLargest);
    QImage out(std::max(1, image.width / step), std::max(1, image.height / step), QImage::Format_ARGB32);
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            const int sx = std::min(x * step, image.width - 1), sy = std::min(y * step, image.height - 1);
            const half* p = &image.pixels[4 * (size_t(sy) * size_t(image.width) + size_t(sx))];
            const auto byte = [](float v) { return int(std::lround(std::clamp(v, 0.0f, 1.0f) * 255.0f)); };
            out.setPixel(
                x, y,
                qRgba(byte(encodeSrgb(p[0])), byte(encodeSrgb(p[1])), byte(encodeSrgb(p[2])), byte(p[3])));
        }
    return out;
}

}  // namespace

AtlasGrid::AtlasGrid(QWidget* parent) : QWidget(parent) {
    setObjectName("atlas");
    setFocusPolicy(Qt::StrongFocus);
    setProperty("takesSpace", true);
    QSizePolicy policy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    policy.setHeightForWidth(true);
    setSizePolicy(policy);
}

void AtlasGrid::set(const QImage& image, int columns, int rows, const std::vector<int>& chosen) {
    const bool shape = image.size() != image_.size() || columns != columns_ || rows != rows_;
    image_ = image;
    columns_ = columns, rows_ = rows, chosen_ = chosen;
    current_ = std::clamp(current_, 0, columns * rows - 1);
    if (shape) updateGeometry();
    update();
}

int AtlasGrid::heightForWidth(int width) const {
    const double ratio =
        image_.isNull() ? double(rows_) / double(columns_) : double(image_.height()) / double(image_.width());
    return int(std::clamp(ratio * width, double(px(48)), double(px(260))));
}

QSize AtlasGrid::sizeHint() const { return {px(200), heightForWidth(px(200))}; }

/// Where the image lies: as large as it fits, in its own shape.
QRectF AtlasGrid::picture() const {
    const QSizeF shape = image_.isNull() ? QSizeF(columns_, rows_) : QSizeF(image_.size());
    const QSizeF size = shape.scaled(QSizeF(rect().adjusted(1, 1, -1, -1).size()), Qt::KeepAspectRatio);
    return {QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size};
}

QRectF AtlasGrid::cellRect(int cell) const {
    const QRectF all = picture();
    const double w = all.width() / columns_, h = all.height() / rows_;
    const int row = cell / columns_;
    return {all.left() + w * (cell % columns_), all.top() + h * row, w, h};
}

int AtlasGrid::cellAt(const QPointF& at) const {
    const QRectF all = picture();
    if (!all.contains(at)) return -1;
    const int x = std::min(int((at.x() - all.left()) / all.width() * columns_), columns_ - 1),
              y = std::min(int((at.y() - all.top()) / all.height() * rows_), rows_ - 1);
    return y * columns_ + x;
}

bool AtlasGrid::isChosen(int cell) const {
    return std::find(chosen_.begin(), chosen_.end(), cell) != chosen_.end();
}

void AtlasGrid::choose(int cell, bool on) {
    if (cell < 0 || isChosen(cell) == on) return;
    if (on)
        chosen_.insert(std::lower_bound(chosen_.begin(), chosen_.end(), cell), cell);
    else
        std::erase(chosen_, cell);
    update();
}

void AtlasGrid::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Tokens& t = tokens();
    const QRectF all = picture();
    p.fillRect(all, t.field);
    if (!image_.isNull()) p.drawImage(all, image_);
    p.setFont(figureFont(8));
    const bool any = !chosen_.empty();
    for (int cell = 0; cell < columns_ * rows_; ++cell) {
        const QRectF r = cellRect(cell);
        const bool on = !any || isChosen(cell);
        if (!on) {
            QColor veil = t.panel;
            veil.setAlphaF(0.62f);
            p.fillRect(r, veil);
        }
        p.setPen(QPen(t.line, 1));
        p.drawRect(r);
        if (any && on) {
            p.setPen(QPen(t.seaGlass, 2));
            p.drawRect(r.adjusted(1, 1, -1, -1));
        }
        if (r.width() < px(16) || r.height() < px(13)) continue;
        const QString number = QString::number(cell);
        const QRectF label(r.left() + 2, r.top() + 2, p.fontMetrics().horizontalAdvance(number) + px(4),
                           px(12));
        p.fillRect(label, t.panel);
        p.setPen(on ? t.text : t.muted);
        p.drawText(label, Qt::AlignCenter, number);
    }
    if (!hasFocus()) return;
    p.setPen(QPen(t.text, 1, Qt::DashLine));
    p.drawRect(cellRect(current_).adjusted(3, 3, -3, -3));
}

void AtlasGrid::mousePressEvent(QMouseEvent* e) {
    const int cell = cellAt(e->position());
    if (cell < 0 || e->button() != Qt::LeftButton) return;
    before_ = chosen_;
    current_ = cell;
    choosing_ = !isChosen(cell);
    choose(cell, choosing_);
}

void AtlasGrid::mouseMoveEvent(QMouseEvent* e) {
    if (e->buttons() & Qt::LeftButton) choose(cellAt(e->position()), choosing_);
}

void AtlasGrid::mouseReleaseEvent(QMouseEvent*) {
    if (chosen_ != before_) Q_EMIT changed(chosen_);
}

void AtlasGrid::keyPressEvent(QKeyEvent* e) {
    const auto go = [&](int by) {
        current_ = std::clamp(current_ + by, 0, columns_ * rows_ - 1);
        update();
    };
    switch (e->key()) {
        case Qt::Key_Left:
            return go(-1);
        case Qt::Key_Right:
            return go(1);
        case Qt::Key_Up:
            return go(current_ >= columns_ ? -columns_ : 0);
        case Qt::Key_Down:
            return go(current_ + columns_ < columns_ * rows_ ? columns_ : 0);
        case Qt::Key_Space:
            choose(current_, !isChosen(current_));
            Q_EMIT changed(chosen_);
            return;
        default:
            QWidget::keyPressEvent(e);
    }
}

AtlasEditor::AtlasEditor(Controller& controller, std::string blade, QWidget* parent)
    : QWidget(parent),
      controller_(controller),
      blade_(std::move(blade)),
      grid_(new AtlasGrid),
      text_(new QLabel) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(px(4));
    text_->setWordWrap(true);
    box->addWidget(text_);
    box->addWidget(grid_);
    connect(grid_, &AtlasGrid::changed, this, [this](const std::vector<int>& cells) {
        Q_EMIT changed(QString::fromStdString(textFromCells(cells)));
    });
}

void AtlasEditor::refresh(const std::string& cells) {
    const Document& d = controller_.document();
    if (!d.find(blade_)) return;
    const auto whole = [&](const char* id) { return int(std::get<int64_t>(d.value(blade_, id))); };
    const int columns = whole("columns"), rows = whole("rows");
    std::vector<int> chosen;
    try {
        chosen = cellsFromText(cells, columns * rows);
    } catch (const Error&) {  // the object says what is wrong with it
    }
    const auto [file, space] = imageOf(d, blade_);
    if (file != file_) {
        file_ = file;
        image_ = {};
        if (!file.empty()) loadImage();
    }
    text_->setText(columns * rows == 1 ? "Pictures: one. Set columns and rows to the blades in its image."
                   : chosen.empty()    ? QString("Pictures: all %1 in turn").arg(columns * rows)
                                       : "Pictures: " + QString::fromStdString(textFromCells(chosen)));
    text_->setToolTip(file.empty() ? "Its material has no image yet; the grid can be used all the same"
                                   : QString::fromStdString(file));
    grid_->setVisible(columns * rows > 1);
    grid_->set(image_, columns, rows, chosen);
}

/// On the worker, since images may be large.
void AtlasEditor::loadImage() {
    const auto [file, space] = imageOf(controller_.document(), blade_);
    ImageCache& images = controller_.evaluator().images();
    controller_.runOnWorker(
        this,
        [&images, whole = controller_.scene().resolve(file), space = space](Progress&) {
            try {
                return smallCopy(*images.image(whole, space));
            } catch (const Error&) {  // a check names the file
                return QImage();
            }
        },
        [this, file = file](const QImage& small) {
            if (file_ != file) return;
            image_ = small;
            if (const Node* node = controller_.document().find(blade_))
                refresh(std::get<std::string>(
                    paramOr(*findSpec(specsOf(*node), "pictures"), node->params).value));
        });
}

}  // namespace ovrix::app
