// Arrows go down only: which folder of the core may include which, as docs/architecture.md draws it.
#include "tests/support/support.h"

#include <QDirIterator>
#include <QRegularExpression>

using namespace arvesk;

class TestArrows : public QObject {
  Q_OBJECT

  /// A folder may include itself and those before it; those of one number stand side by side and do not know each
  /// other.
  const std::map<QString, int> m_height{{QStringLiteral("base"), 0},    {QStringLiteral("geometry"), 1},
                                        {QStringLiteral("spatial"), 2}, {QStringLiteral("props"), 3},
                                        {QStringLiteral("masks"), 4},   {QStringLiteral("plan"), 5},
                                        {QStringLiteral("nodes"), 6},   {QStringLiteral("formats"), 6},
                                        {QStringLiteral("picture"), 6}, {QStringLiteral("deliver"), 7}};

  static QStringList includesOf(const QString& path) {
    QFile file(path);
    QStringList out;
    if (!file.open(QIODevice::ReadOnly)) return out;
    static const QRegularExpression kInclude(QStringLiteral("^#include [\"<]([^\">]+)[\">]"),
                                             QRegularExpression::MultilineOption);
    for (const QRegularExpressionMatch& m : kInclude.globalMatch(QString::fromUtf8(file.readAll())))
      out << m.captured(1);
    return out;
  }

 private Q_SLOTS:
  void theCoreIncludesDownwardsOnly() {
    const QDir core(test::sourcePath("core"));
    int seen = 0;
    for (QDirIterator it(core.path(), {QStringLiteral("*.h"), QStringLiteral("*.cpp")}, QDir::Files,
                         QDirIterator::Subdirectories);
         it.hasNext();) {
      const QString path = it.next();
      const QString name = core.relativeFilePath(path);
      const QString folder = name.section(QLatin1Char('/'), 0, 0);
      QVERIFY2(m_height.contains(folder), qPrintable(name));
      for (const QString& include : includesOf(path)) {
        QVERIFY2(!include.startsWith(QLatin1Char('Q')) && !include.startsWith(QStringLiteral("app/")) &&
                     !include.startsWith(QStringLiteral("cli/")),
                 qPrintable(name + QStringLiteral(" includes ") + include));
        if (!include.startsWith(QStringLiteral("core/"))) continue;
        const QString other = include.section(QLatin1Char('/'), 1, 1);
        QVERIFY2(m_height.contains(other), qPrintable(include));
        QVERIFY2(other == folder || m_height.at(other) < m_height.at(folder),
                 qPrintable(name + QStringLiteral(" includes ") + include));
        ++seen;
      }
    }
    QVERIFY(seen > 300);  // it did look
  }

  /// A header begins with what it is for; a source file too, or with the header that says so.
  void everyFileSaysWhatItIsFor() {
    int seen = 0;
    for (const char* folder : {"core", "app", "cli", "tests", "benchmarks"})
      for (QDirIterator it(test::sourcePath(folder), {QStringLiteral("*.h"), QStringLiteral("*.cpp")}, QDir::Files,
                           QDirIterator::Subdirectories);
           it.hasNext(); ++seen) {
        const QString path = it.next();
        QFile file(path);
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QByteArray first = file.readLine();
        QVERIFY2(first.startsWith("// ") || (path.endsWith(QStringLiteral(".cpp")) && first.startsWith("#include \"")),
                 qPrintable(path));
      }
    QVERIFY(seen > 300);
  }

  void interfaceAndCommandLineDoNotKnowEachOther() {
    for (const auto& [folder, other] : {std::pair("app", "cli/"), std::pair("cli", "app/")})
      for (QDirIterator it(test::sourcePath(folder), {QStringLiteral("*.h"), QStringLiteral("*.cpp")}, QDir::Files,
                           QDirIterator::Subdirectories);
           it.hasNext();) {
        const QString path = it.next();
        for (const QString& include : includesOf(path))
          QVERIFY2(!include.startsWith(QLatin1String(other)),
                   qPrintable(path + QStringLiteral(" includes ") + include));
      }
  }
};

QTEST_GUILESS_MAIN(TestArrows)
#include "tst_arrows.moc"
