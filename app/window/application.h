// The application object: the border around everything that the interface does. What a slot throws is told in the
// window's message line, and the program goes on.
#pragma once

#include <QApplication>

namespace arvesk {

class Application : public QApplication {
  Q_OBJECT

 public:
  /// Names, locale and icon with it: what every program over this interface begins with.
  Application(int& argc, char** argv);
  bool notify(QObject* receiver, QEvent* event) override;
};

}  // namespace arvesk
