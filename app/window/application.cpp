#include "app/window/application.h"

#include "app/model/worker.h"
#include "core/base/border.h"

namespace arvesk {

bool Application::notify(QObject* receiver, QEvent* event) {
  const auto done = withinBorder([&] { return QApplication::notify(receiver, event); });
  if (done) return *done;
  Q_EMIT WorkerFailures::all().happened(QString::fromStdString(toLine(done.error())));
  return false;
}

}  // namespace arvesk
