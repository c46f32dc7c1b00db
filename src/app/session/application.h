// The Qt application, at whose edge errors end.
#pragma once
#include <QApplication>
#include <functional>

namespace ovrix::app {

/// An error that escapes a slot is told, and the program goes on: Qt itself would end it.
class Application : public QApplication {
  public:
    using QApplication::QApplication;
    bool notify(QObject* receiver, QEvent* event) override;
    /// Takes what is to be told; the standard error output when it is not set.
    std::function<void(const QString&)> tell;
};

}  // namespace ovrix::app
