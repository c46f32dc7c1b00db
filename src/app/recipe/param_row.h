// One parameter in a card: its name, its editor, and for drivable ones the field under it.
#pragma once
#include <QWidget>
#include <functional>

#include "app/session/controller.h"

class QLabel;
class QPushButton;
class QToolButton;
class QVBoxLayout;

namespace ovrix::app {

class FieldStack;
class KeyButton;

/// Made from the spec alone; shows what the document holds after refresh().
class ParamRow : public QWidget {
    Q_OBJECT
  public:
    ParamRow(Controller& controller, const ParamPath& path, const ParamSpec& spec, QWidget* parent = nullptr);
    void refresh();
    /// The same, of what also shows what was made: slots of a mesh, maps, pictures.
    void followResults();
    const ParamPath& path() const { return path_; }
    const ParamSpec& spec() const { return spec_; }
    /// Opens or closes the field stack, when there is one.
    void setStackOpen(bool open);
    bool stackOpen() const;

  Q_SIGNALS:
    void stackToggled(const ParamPath& path, bool open);

  protected:
    void contextMenuEvent(QContextMenuEvent*) override;

  private:
    QString rowTitle() const;
    using Refresh = std::function<void(const Param&)>;
    QWidget* makeEditor();
    QWidget* makeNumber(int component, const std::function<double(const Value&)>& get,
                        const std::function<Value(const Value&, double)>& put, double initial);
    QWidget* makeNumbers(size_t count);
    QWidget* makeBool();
    QWidget* makeChoice();
    QWidget* makeChoices();
    QWidget* makeFile();
    QWidget* makeRef();
    using RefsChange = std::function<void(const std::function<void(Refs&)>& edit)>;
    QWidget* makeRefRow(QWidget* list, int i, const RefsChange& change);
    QWidget* makeRefs();
    QWidget* makeText();
    QWidget* makeMap();
    QWidget* makeStrokes();
    struct PaintButtons {
        QWidget* row;
        QPushButton* paint;
        QToolButton* clear;
    };
    static PaintButtons makePaintButtons(const QString& tip);
    QWidget* makeEdits();
    QWidget* makeCombing();
    QWidget* makeTally(const QString& tip, const Value& none,
                       const std::function<QString(const Value&)>& tell, const QString& hint);
    QWidget* makePoints();
    QWidget* makeCells();
    QWidget* makeProfile();
    QWidget* makeMix();
    QWidget* makeColor();
    void toggleField();
    void addFirstSource();
    bool replacedByField() const { return spec_.type == ParamType::Number || spec_.type == ParamType::Color; }

    Controller& controller_;
    ParamPath path_;
    ParamSpec spec_;
    std::vector<Refresh> refreshers_;
    QWidget* editor_ = nullptr;
    QLabel* name_ = nullptr;
    QToolButton* sources_ = nullptr;
    QToolButton* fieldButton_ = nullptr;
    KeyButton* key_ = nullptr;
    FieldStack* stack_ = nullptr;
    QVBoxLayout* layout_ = nullptr;
};

}  // namespace ovrix::app
