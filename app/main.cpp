// arvesk [PLAN]: the application.
#include "app/model/words.h"
#include "app/window/application.h"
#include "app/window/main_window.h"
#include "app/window/settings.h"
#include "app/window/theme.h"
#include "core/base/memory.h"
#include "core/base/reserve.h"

#include <QCommandLineParser>
#include <QFileInfo>

int main(int argc, char** argv) {
  arvesk::holdReserve();
  arvesk::Application app(argc, argv);
  QCommandLineParser parser;
  arvesk::speak(arvesk::Settings().language());
  const auto tr = [](const char* words) { return QCoreApplication::translate("main", words); };
  parser.setApplicationDescription(tr("Places plants, rocks and props on ground by a plan you can read."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("plan"), tr("The plan to open (.arvesk)"), QStringLiteral("[plan]"));
  const QCommandLineOption memory(QStringLiteral("memory"),
                                  tr("GB that may be taken at once; without it half of what the machine has"),
                                  QStringLiteral("GB"));
  parser.addOption(memory);
  parser.process(app);
  if (parser.isSet(memory)) {
    const double gb = parser.value(memory).toDouble();  // 0 when it is no number
    if (!(gb >= 0.1 && gb <= 1e6)) {
      qCritical("%s", qPrintable(tr("--memory is \"%1\", must be 0.1 to 1000000 GB").arg(parser.value(memory))));
      return 2;
    }
    arvesk::setMemoryLimit(static_cast<std::size_t>(gb * (1 << 30)));
  }
  arvesk::Theme::apply(app, arvesk::Settings().theme());
  const QString file = parser.positionalArguments().value(0);
  arvesk::MainWindow window;
  window.show();
  if (!file.isEmpty()) window.openFile(QFileInfo(file).absoluteFilePath());
  window.offerLeftBehind();
  return arvesk::Application::exec();
}
