// How the picture's tones lie: as counts of each, or over its width.
#pragma once
#include <QImage>
#include <QWidget>
#include <array>
#include <vector>

namespace ovrix::app {

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
    /// Of red, green and blue: how many pixels have each of 256 tones.
    const std::array<std::array<uint32_t, 256>, 3>& counts() const { return counts_; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    void count();
    void paintHistogram(QPainter& p) const;
    Kind kind_ = Kind::None;
    QImage image_, waveform_;
    std::array<std::array<uint32_t, 256>, 3> counts_{};
};

}  // namespace ovrix::app
