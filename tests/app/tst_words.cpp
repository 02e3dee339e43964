// Languages: every word of the program has its German, no German is left over, sentences keep their numbers and names,
// and a window that speaks German shows no English.
#include "app/model/phrases.h"
#include "app/model/words.h"
#include "app/window/settings.h"
#include "tests/app/window_test.h"
#include "tests/support/literals.h"

#include <QAccessible>
#include <QComboBox>
#include <QDirIterator>
#include <QLabel>
#include <QMenu>
#include <QMenuBar>
#include <QProcess>
#include <QRegularExpression>

#include <set>

using namespace arvesk;

namespace {

using Entries = std::map<std::string, std::string>;

Entries germanTable() {
  QFile file(QStringLiteral(":/words/de.po"));
  Entries out;
  if (!file.open(QIODevice::ReadOnly)) return out;
  for (const auto& [from, to] : readPo(file.readAll())) out.emplace(from, to);
  return out;
}

bool isMarked(const std::string& before) {
  static const QRegularExpression marks(
      QStringLiteral("(\\b(tr|w)\\(\\s*|(ARVESK_TEXT|QT_TRANSLATE_NOOP|translate)\\(\\s*,\\s*|\\bsaid\\(\\s*)$"));
  return marks.match(QString::fromStdString(before)).hasMatch();
}

/// Formats of files and the like: words that machines read. Their messages to people are asked for all the same.
bool isForMachines(const QString& file, const test::Literal& l) {
  static const QRegularExpression formats(
      QStringLiteral("^(usda_writer|obj_writer|table_writers|readback_text|readback_tables|gltf_writer|tiles)\\.cpp$"));
  static const QRegularExpression told(
      QStringLiteral("(fail|warn|wrongFile|problem|fault)\\([^;]*$|push_back\\([^;]*$"));
  if (formats.match(QFileInfo(file).fileName()).hasMatch() && !told.match(QString::fromStdString(l.before)).hasMatch())
    return true;
  // Bugs assert in English; so do our own defaults, which are patterns of names and formulas.
  static const std::set<std::string> others{" or ",
                                            " and ",
                                            " to ",
                                            "qx qy qz qw",
                                            "qhull Qt Pp",
                                            "scale_x scale_y scale_z",
                                            "nx ny nz",
                                            "boulder*; slab*",
                                            "height > 2",
                                            "a * (slope < 25)",
                                            "0.5 + 0.5 * sin(x)",
                                            "a * (slope < 25) + 0.1 * b",
                                            "0 to 0.5: *; 0.5 to 1: *",
                                            "Degenerated face",
                                            ", seccomp",
                                            "Landlock {}",
                                            "glyph %1 %2 %3 %4",
                                            "msgid ",
                                            "msgstr ",
                                            "- [{}]({}.md): {}\n",
                                            "comment prop ",
                                            "comment output ",
                                            "what hangs on a value is counted with it"};
  static const QRegularExpression asserted(
      QStringLiteral("ARVESK_ASSERT\\([^;]*$|fprintf\\([^;]*$|runtime_error\\([^;]*$"));
  return others.contains(l.words) || asserted.match(QString::fromStdString(l.before)).hasMatch();
}

/// Style sheets, patterns and tables in the application.
bool isCode(const test::Literal& l) {
  static const QRegularExpression code(QStringLiteral("^[a-z-]+: %1|^<br>|[{}]|\\\\s|^<t|qCritical"));
  return code.match(QString::fromStdString(l.words)).hasMatch() ||
         l.before.find("QT_TRANSLATE_NOOP(") != std::string::npos ||
         QString::fromStdString(l.before).contains(QRegularExpression(QStringLiteral("(glyph|translate)\\($")));
}

bool hasWords(const std::string& s) {
  QString plain = QString::fromStdString(s);
  plain.remove(QRegularExpression(QStringLiteral("\\{[^}]*\\}|%\\d|\\(\\*[^)]*\\)")));
  return plain.contains(QRegularExpression(QStringLiteral("[a-z]{2}")));
}

/// What the program says: by its sources, and by the declarations of nodes.
std::map<std::string, QString> saidByProgram() {
  std::map<std::string, QString> out;
  for (const char* folder : {"app", "core"}) {
    QDirIterator it(test::sourcePath(folder), {QStringLiteral("*.cpp"), QStringLiteral("*.h")}, QDir::Files,
                    QDirIterator::Subdirectories);
    while (it.hasNext()) {
      QFile file(it.next());
      if (!file.open(QIODevice::ReadOnly)) continue;
      for (const test::Literal& l : test::literalsOf(file.readAll().toStdString())) {
        const bool isSentence = folder == std::string_view("core") && l.words.find(' ') != std::string::npos &&
                                l.before.find("ARVESK_TEXT(") == std::string::npos && !isForMachines(it.filePath(), l);
        const bool isOnScreen = folder == std::string_view("app") && l.words.find(' ') != std::string::npos &&
                                !isCode(l) && !isForMachines(it.filePath(), l);
        if ((isMarked(l.before) || isSentence || isOnScreen) && hasWords(l.words)) out.emplace(l.words, it.fileName());
      }
    }
  }
  const auto add = [&](const NodeKind& kind, const std::string& words) {
    if (hasWords(words)) out.emplace(words, QString::fromStdString(kind.id));
  };
  for (const NodeKind* kind : allNodeKinds()) {
    add(*kind, kind->label);
    add(*kind, kind->help);
    std::string synonyms;
    for (const std::string& s : kind->synonyms) synonyms += (synonyms.empty() ? "" : ", ") + s;
    add(*kind, synonyms);
    for (const InputSpec& in : kind->inputs) add(*kind, in.label), add(*kind, in.help);
    for (const OutputSpec& o : kind->outputs) add(*kind, o.label);
    for (const ParamSpec& p : kind->params) {
      add(*kind, p.label), add(*kind, p.help), add(*kind, p.group);
      for (const Option& o : p.options) add(*kind, o.label);
    }
  }
  return out;
}

/// "%1 %2" and "{} {:g}" of a text, in any order.
std::multiset<QString> gapsOf(const std::string& s) {
  std::multiset<QString> out;
  QString plain = QString::fromStdString(s);
  auto it =
      QRegularExpression(QStringLiteral("%\\d|\\{[^{}]*(\\{\\}[^{}]*)?\\}|\\(\\*[^)]*\\)|<[^>]+>")).globalMatch(plain);
  while (it.hasNext()) {
    QString gap = it.next().captured();
    if (gap.startsWith(QLatin1Char('{'))) gap.remove(QRegularExpression(QStringLiteral("^\\{\\d")));
    out.insert(gap.remove(QLatin1Char('{')));
  }
  return out;
}

}  // namespace

class TestWords : public test::WindowTest {
  Q_OBJECT

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void cleanup() {
    m_window.reset();
    speak(QStringLiteral("en"));
  }

  /// ARVESK_WORDS=FILE writes what is missing there, to be filled in.
  void everyWordHasItsGerman() {
    const Entries german = germanTable();
    QStringList missing;
    QString entries;
    for (const auto& [words, where] : saidByProgram()) {
      if (german.contains(words)) continue;
      missing << QStringLiteral("%1: %2").arg(where, QString::fromStdString(words));
      entries += QStringLiteral("\n#. %1\nmsgid \"%2\"\nmsgstr \"\"\n")
                     .arg(where, QString::fromStdString(words)
                                     .replace(QLatin1Char('\\'), QStringLiteral("\\\\"))
                                     .replace(QLatin1Char('"'), QStringLiteral("\\\""))
                                     .replace(QLatin1Char('\n'), QStringLiteral("\\n")));
    }
    if (const QString path = qEnvironmentVariable("ARVESK_WORDS"); !path.isEmpty()) {
      QFile file(path);
      QVERIFY(file.open(QIODevice::WriteOnly) && file.write(entries.toUtf8()) >= 0);
    }
    QVERIFY2(missing.isEmpty(), qPrintable(missing.mid(0, 30).join(QLatin1Char('\n'))));
    QVERIFY(german.size() > 2000);
  }

  void everyGermanWordIsOfTheProgram() {
    std::set<std::string> ours;
    for (const auto& [words, where] : saidByProgram()) ours.insert(words);
    for (const char* folder : {"app", "core"}) {
      QDirIterator it(test::sourcePath(folder), {QStringLiteral("*.cpp"), QStringLiteral("*.h")}, QDir::Files,
                      QDirIterator::Subdirectories);
      while (it.hasNext()) {
        QFile file(it.next());
        QVERIFY(file.open(QIODevice::ReadOnly));
        for (const test::Literal& l : test::literalsOf(file.readAll().toStdString())) ours.insert(l.words);
      }
    }
    QStringList unused;
    for (const auto& [from, to] : germanTable())
      if (!ours.contains(from)) unused << QString::fromStdString(from);
    QVERIFY2(unused.isEmpty(), qPrintable(unused.join(QLatin1Char('\n'))));
  }

  void gapsMarksAndEndsAreKept() {
    for (const auto& [from, to] : germanTable()) {
      QVERIFY2(gapsOf(from).size() == gapsOf(to).size(), from.c_str());
      const auto numbers = [](const std::string& s) {
        std::multiset<QString> out;
        for (const QString& gap : gapsOf(s))
          if (gap.startsWith(QLatin1Char('%'))) out.insert(gap);
        return out;
      };
      QVERIFY2(numbers(from) == numbers(to), from.c_str());
      const auto endsAlike = [&](char c) {
        return (from.front() == c) == (to.front() == c) && (from.back() == c) == (to.back() == c);
      };
      for (const char c : {' ', ',', '\n'}) QVERIFY2(endsAlike(c), from.c_str());
      const bool isMenu = from.find("&") != std::string::npos;
      QVERIFY2(isMenu == (to.find("&") != std::string::npos), from.c_str());
      QVERIFY2(from.ends_with("…") == to.ends_with("…"), from.c_str());
    }
  }

  void sentencesAreToldWithTheirNumbersAndNames() {
    Phrases p;
    p.add("{} points found no ground within {:g} m", "{} Punkte fanden in {:g} m keinen Boden");
    p.add("no {} is called \"{}\"", "{1}: {0} gibt es nicht");
    p.add("prop", "Requisite");
    p.add(" · turned", " · gedreht");
    p.add(" · moved", " · verschoben");
    p.add("Vary", "Variieren");
    p.add("They carry: ", "Sie tragen: ");
    p.add("from {}{}", "ab {}{}");
    p.add("{} to {}{}", "{} bis {}{}");
    p.add(" deep", " tief");
    p.add("waiting for {}", "wartet auf {=}");
    p.add(" · where {}", " · wo {=}");
    p.add("cannot be read: {}", "unlesbar: {}");
    p.add("{}; its reader says \"{}\"", "{}; ihr Leser sagt \"{}\"");
    p.add("by {:g} m, {} of {}", "{2} von {1}, um {0:g} m");
    p.sort();
    const std::vector<std::pair<const char*, const char*>> known{
        {"12 points found no ground within 2.5 m", "12 Punkte fanden in 2.5 m keinen Boden"},
        {"no prop is called \"prop\"", "prop: Requisite gibt es nicht"},  // a name is a name
        {"Vary · moved · turned", "Variieren · verschoben · gedreht"},
        {"They carry: moss; prop", "Sie tragen: moss; Requisite"},
        {"from 3 m deep", "ab 3 m tief"},
        {"0.5 to 2 m", "0.5 bis 2 m"},
        {"waiting for prop", "wartet auf prop"},  // so is that of a card
        {"Vary · where Vary", "Variieren · wo Vary"},
        {"by 3 m, a of b", "b von a, um 3 m"},
        {"cannot be read: prop; its reader says \"prop: Vary\"", "unlesbar: Requisite; ihr Leser sagt \"prop: Vary\""},
        {"points found no ground", "points found no ground"},  // not quite it: as it is
        {"Rock: 12 points found no ground within 2 m", "Rock: 12 Punkte fanden in 2 m keinen Boden"},
        {"", ""}};
    for (const auto& [english, german] : known) QCOMPARE(p.said(english), std::string(german));
    // Of any text whatever: an answer, soon.
    for (std::uint64_t seed = 0; seed < 500; ++seed) {
      std::string s;
      for (std::uint64_t i = 0; i < 80; ++i) {
        const char* const parts[] = {", ", " · ", "from ", " to ", " deep", "3", ": ", "\"", "prop", "{", "}", ". "};
        s += parts[hashOf(seed, i) % 12];
      }
      QVERIFY(!p.said(s).empty());
    }
  }

  /// What nodes say of themselves and of what came of them, in every plan we ship.
  void noSentenceOfAPlanStaysEnglish_data() {
    QTest::addColumn<QString>("path");
    for (const QFileInfo& plan : QDir(test::sourcePath("demo/examples")).entryInfoList({QStringLiteral("*.arvesk")}))
      QTest::newRow(qPrintable(plan.completeBaseName())) << plan.filePath();
    QTest::newRow("tern-cove") << test::sourcePath("demo/tern-cove/tern-cove.arvesk");
  }
  /// Names, and words that the user typed.
  QStringList namesOfPlan() {
    QStringList names;
    for (const PropEntry& p : document().props) names << text(p.name);
    for (const Node& n : document().nodes) {
      names << text(n.title);
      if (const NodeKind* kind = kindOf(n))
        for (const ParamSpec& spec : kind->params)
          if (const auto value = n.value(spec); std::holds_alternative<std::string>(value))
            names << text(std::get<std::string>(value));
      for (const auto& [uid, formula] : n.follows) names << text(formula);
    }
    for (const SubPlan& s : document().subPlans) {  // its author's words
      for (const Node& n : s.nodes)
        for (const auto& [id, value] : n.params)
          if (const auto* said = std::get_if<std::string>(&value)) names << text(*said);
      for (const SubPlanCheck& c : s.checks) names << text(c.words);
    }
    return names;
  }
  void noSentenceOfAPlanStaysEnglish() {
    QFETCH(QString, path);
    speak(QStringLiteral("de"));
    openWindow();
    QVERIFY(w().openFile(path));
    waitForResults();
    // Without ground, masks and props much more is told.
    Phrases phrases;
    for (const auto& [from, to] : germanTable()) phrases.add(from, to);
    phrases.sort();
    const auto check = [&] {
      const QStringList names = namesOfPlan();
      const auto isName = [&](const std::string& part) {
        QString words = text(part).trimmed();
        words.remove(QRegularExpression(QStringLiteral("(m²|m³|MB|m|px|°|\\W|\\d)")));
        return words.isEmpty() || std::any_of(names.begin(), names.end(),
                                              [&](const QString& n) { return n.contains(text(part).trimmed()); });
      };
      for (const Node& node : document().nodes) {
        const NodeReport& report = w().service().latest()->evaluation.reports.at(node.uid);
        std::vector<std::string> told{report.said};
        if (!node.isInstance()) told.push_back(sentenceOf(document(), node, Quality::Draft));  // else its author's
        for (const Problem& p : report.problems) told.insert(told.end(), {p.message, p.advice});
        for (const std::string& line : told)
          for (const std::string& part : phrases.unknownIn(line))
            QVERIFY2(isName(part), qPrintable(QStringLiteral("\"%1\" of \"%2\"").arg(text(part), text(line))));
      }
    };
    check();
    if (QTest::currentTestFailed()) return;
    w().model().edit(QStringLiteral("cut"), [](Plan& plan) {
      for (Node& node : plan.nodes)
        for (auto& [id, links] : node.inputs)
          if (hashOf(hashText(node.uid), hashText(id)) % 3 == 0) links.clear();
    });
    waitForResults();
    check();
  }

  void aGermanWindowShowsNoEnglish() {
    speak(QStringLiteral("de"));
    QCOMPARE(spoken(), QStringLiteral("de"));
    openWindow();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/where-and-why.arvesk")));
    waitForResults();
    const Entries german = germanTable();
    QSet<QString> english;
    for (const auto& [from, to] : german)
      if (from != to && from.find('%') == std::string::npos) english.insert(QString::fromStdString(from));
    for (const auto& [from, to] : german) english.remove(QString::fromStdString(to));  // "Text" is German too
    const auto look = [&](const QString& words, const QObject* where) {
      QString plain = words;
      plain.remove(QLatin1Char('&'));
      QVERIFY2(!english.contains(words) && !english.contains(plain),
               qPrintable(QStringLiteral("%1: %2").arg(where->objectName(), words)));
    };
    const auto lookAt = [&](QWidget& root) {
      for (QAction* a : root.findChildren<QAction*>()) look(a->text(), a);
      QList<QWidget*> all = root.findChildren<QWidget*>();
      for (QWidget* widget : all) {
        look(widget->toolTip(), widget);
        look(widget->accessibleName(), widget);
        look(widget->windowTitle(), widget);
        if (auto* label = qobject_cast<QLabel*>(widget)) look(label->text(), widget);
        if (auto* button = qobject_cast<QAbstractButton*>(widget)) look(button->text(), widget);
        if (auto* line = qobject_cast<QLineEdit*>(widget)) look(line->placeholderText(), widget);
        if (auto* box = qobject_cast<QComboBox*>(widget))
          for (int i = 0; i < box->count(); ++i) look(box->itemText(i), widget);
      }
    };
    lookAt(w());
    for (const NodeKind* kind : allNodeKinds()) {
      const QString uid = w().model().addNode(*kind, 40, 40);
      plan().select({uid});
      QCoreApplication::processEvents();
      lookAt(w().bench());
      QCOMPARE(document().find(uid.toStdString())->title.substr(0, 3), said(kind->label).toStdString().substr(0, 3));
      if (QTest::currentTestFailed()) return;
      w().model().undoStack().undo();
    }
    // What does it, is found by what it is called here, and by English words that experts know.
    for (const char* words : {"freiraum", "kollision entfernen", "overlap"}) {
      const std::size_t before = document().nodes.size();
      plan().select({});
      addByKeys(QString::fromLatin1(words));
      QVERIFY2(document().nodes.size() == before + 1 && document().nodes.back().kind == "clearance", words);
    }
    w().showKit(true);
    w().showBottom(MainWindow::Bottom::Schedule);
    w().showBottom(MainWindow::Bottom::Ledger);
    w().openExport();
    trigger("help_keys");
    trigger("help_manual");
    QTest::qWait(100);
    lookAt(w());
  }

  /// The program itself, as main starts it: by the desktop's language, or by what was chosen.
  void theProgramSpeaksBeforeItHasAWindow_data() {
    QTest::addColumn<QString>("desktop");
    QTest::addColumn<QString>("chosen");
    QTest::addColumn<QString>("words");
    const QString german = QStringLiteral("Setzt Pflanzen");
    const QString english = QStringLiteral("Places plants");
    QTest::newRow("a German desktop") << QStringLiteral("de_DE.UTF-8") << QString() << german;
    QTest::newRow("a Polish desktop") << QStringLiteral("pl_PL.UTF-8") << QString() << english;
    QTest::newRow("German chosen") << QStringLiteral("C.UTF-8") << QStringLiteral("de") << german;
    QTest::newRow("English chosen") << QStringLiteral("de_AT.UTF-8") << QStringLiteral("en") << english;
  }
  void theProgramSpeaksBeforeItHasAWindow() {
    QFETCH(QString, desktop);
    QFETCH(QString, chosen);
    QFETCH(QString, words);
    QTemporaryDir config;
    if (!chosen.isEmpty()) {
      QVERIFY(QDir(config.path()).mkpath(QStringLiteral("Arvesk")));
      QSettings(config.filePath(QStringLiteral("Arvesk/Arvesk.conf")), QSettings::NativeFormat)
          .setValue(QStringLiteral("language"), chosen);
    }
    QProcess program;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert(QStringLiteral("LC_ALL"), desktop);
    environment.insert(QStringLiteral("XDG_CONFIG_HOME"), config.path());
    program.setProcessEnvironment(environment);
    program.start(test::binPath("arvesk"), {QStringLiteral("--help")});
    QVERIFY(program.waitForFinished(-1));
    const QString out = QString::fromUtf8(program.readAllStandardOutput());
    QVERIFY2(out.contains(words), qPrintable(out));
  }

  void theLanguageIsChosenInTheMenu() {
    openWindow();
    QCOMPARE(w().menuBar()->actions().front()->text(), QStringLiteral("&File"));
    trigger("language_de");
    QCOMPARE(Settings().language(), QStringLiteral("de"));
    m_window.reset();
    speak(Settings().language());  // as main does
    openWindow();
    QCOMPARE(w().menuBar()->actions().front()->text(), QStringLiteral("&Datei"));
    trigger("language_en");
    QCOMPARE(Settings().language(), QStringLiteral("en"));
    speak(QStringLiteral("xx"));
    QCOMPARE(spoken(), QStringLiteral("en"));
  }
};

QTEST_MAIN(TestWords)
#include "tst_words.moc"
