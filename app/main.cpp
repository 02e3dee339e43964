// arvesk [PLAN]: the application. "--pictures FOLDER" makes the pictures of the documentation and ends.
#include "app/window/application.h"
#include "app/window/main_window.h"
#include "app/window/pictures.h"
#include "app/window/settings.h"
#include "app/window/theme.h"

#include <QCommandLineParser>
#include <QFileInfo>
#include <QLocale>

#include <clocale>

int main(int argc, char** argv) {
  arvesk::Application app(argc, argv);
  // Words are English, and so are numbers, on the screen and in the files of libraries that ask the C library: 1.5 is
  // never 15.
  QLocale::setDefault(QLocale(QLocale::English, QLocale::UnitedStates));
  std::setlocale(LC_NUMERIC, "C");
  QApplication::setOrganizationName(QStringLiteral("Arvesk"));
  QApplication::setApplicationName(QStringLiteral("Arvesk"));
  QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
  QApplication::setWindowIcon(QIcon(QStringLiteral(":/arvesk.svg")));
  QCommandLineParser parser;
  parser.setApplicationDescription(QStringLiteral("Places plants, rocks and props on ground by a plan you can read."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("plan"), QStringLiteral("The plan to open (.arvesk)"),
                               QStringLiteral("[plan]"));
  const QCommandLineOption pictures(QStringLiteral("pictures"),
                                    QStringLiteral("Makes the pictures of the documentation in a folder and ends."),
                                    QStringLiteral("folder"));
  const QCommandLineOption only(QStringLiteral("only"), QStringLiteral("With --pictures: just this one."),
                                QStringLiteral("name"));
  parser.addOptions({pictures, only});
  parser.process(app);
  arvesk::setFloatingPointMode();
  arvesk::Theme::apply(app, parser.isSet(pictures) ? QStringLiteral("paper") : arvesk::Settings().theme());
  const QString file = parser.positionalArguments().value(0);
  if (parser.isSet(pictures)) return arvesk::makePictures(app, file, parser.value(pictures), parser.value(only));
  arvesk::MainWindow window;
  window.show();
  if (!file.isEmpty()) window.openFile(QFileInfo(file).absoluteFilePath());
  return QApplication::exec();
}
