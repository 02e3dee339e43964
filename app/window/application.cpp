#include "app/window/application.h"

#include "app/model/words.h"
#include "app/model/worker.h"
#include "core/base/border.h"
#include "core/base/task.h"

#include <QIcon>
#include <QLocale>

#include <clocale>

namespace arvesk {

Application::Application(int& argc, char** argv) : QApplication(argc, argv) {
  // Words are English, and so are numbers, on the screen and in the files of libraries that ask the C library: 1.5 is
  // never 15.
  QLocale::setDefault(QLocale(QLocale::English, QLocale::UnitedStates));
  std::setlocale(LC_NUMERIC, "C");
  setOrganizationName(QStringLiteral("Arvesk"));
  setApplicationName(QStringLiteral("Arvesk"));
  setApplicationVersion(QStringLiteral("0.1.0"));
  setWindowIcon(QIcon(QStringLiteral(":/arvesk.svg")));
  setFloatingPointMode();
}

bool Application::notify(QObject* receiver, QEvent* event) {
  const auto done = withinBorder([&] { return QApplication::notify(receiver, event); });
  if (done) return *done;
  // Saying so takes memory too.
  (void)withinBorder([&] { Q_EMIT WorkerFailures::all().happened(lineOf(done.error())); });
  return false;
}

}  // namespace arvesk
