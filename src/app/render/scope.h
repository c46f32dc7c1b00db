// How the picture's tones lie: as counts of each, or over its width.
#pragma once
#include <QImage>
#include <QWidget>

#include "render/finish/scopes.h"

namespace ovrix::app {

/// Those of an image of Format_RGB32, whose rows have no gaps. Refers to it.
std::span<const uint32_t> pixelsOf(const QImage& image);

class Scope : public QWidget {
    Q_OBJECT
  public:
    enum class Kind { None, Histogram, Waveform };
    explicit Scope(QWidget* parent = nullptr);
    /// Hidden where it is none.
    void setKind(Kind kind);
    Kind kind() const { return kind_; }
    /// Of a picture as it is on the screen.
    void setImage(const QImage& image);
    /// While it is a histogram.
    const render::Histogram& counts() const { return counts_; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    void count();
    void paintHistogram(QPainter& p) const;
    Kind kind_ = Kind::None;
    QImage image_, waveform_;
    render::Histogram counts_{};
};

}  // namespace ovrix::app
