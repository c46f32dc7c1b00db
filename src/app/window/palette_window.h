// The main colours of a picture, to drag on colours and to spread over what is many.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "app/session/job_thread.h"
#include "document/library/palette_edit.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;

namespace ovrix::app {

/// Colours side by side, as wide as their shares; one can be dragged on any colour.
class PaletteBar : public QWidget {
    Q_OBJECT
  public:
    explicit PaletteBar(QWidget* parent = nullptr);
    void setPalette(const params::Palette& palette);
    const params::Palette& colors() const { return palette_; }
    /// Where a colour lies.
    QRect rectOf(size_t index) const;

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;

  private:
    params::Palette palette_;
    QPoint pressed_;
};

class PaletteWindow : public QDialog {
    Q_OBJECT
  public:
    explicit PaletteWindow(Controller& controller, QWidget* parent);
    ~PaletteWindow() override;
    static std::filesystem::path ownFolder();
    PaletteBar* bar() const { return bar_; }
    /// Looks for the main colours of a picture, on a thread of its own.
    void look(const QString& file);
    bool busy() const { return jobs_.busy(); }

  Q_SIGNALS:
    void found(const ovrix::params::Palette& palette);
    void failed(const QString& problem);

  protected:
    void dragEnterEvent(QDragEnterEvent* e) override;
    void dropEvent(QDropEvent* e) override;

  private:
    void build();
    void follow();
    void again();
    void choosePicture();
    void show(const params::Palette& palette);
    void refresh();
    void listSaved();
    void spread();
    void save();
    void takeSaved();
    void removeSaved();

    Controller& controller_;
    QLabel* about_;
    PaletteBar* bar_;
    QSpinBox* count_;
    QComboBox* saved_;
    QLineEdit* name_;
    QPushButton *choose_, *spread_, *save_, *remove_;
    QString file_;
    JobThread jobs_;
};

}  // namespace ovrix::app
