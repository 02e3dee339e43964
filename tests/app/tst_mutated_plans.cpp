// Plans that were damaged in some two hundred ways, in the window: whatever opens is clicked through, edited, saved and
// exported, without a crash. How long the interface stood still is told, not judged: machines differ, and
// app/responsive asks that of plans that are whole.
#include "app/window/export_window.h"
#include "core/formats/plan_file.h"
#include "tests/app/pulse.h"
#include "tests/app/window_test.h"
#include "tests/support/mutated.h"

#include <QDialog>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QPushButton>
#include <QToolButton>

using namespace arvesk;

namespace {

constexpr int kPlansEach = 4;

/// Values that no one meant, always the same for a number.
QJsonValue oddValue(std::uint64_t n) {
  switch (n % 14) {
    case 0: return QJsonValue::Null;
    case 1: return true;
    case 2: return QString();
    case 3: return QStringLiteral("no such thing");
    case 4: return -1;
    case 5: return 0;
    case 6: return 1e9;
    case 7: return 1e300;
    case 8: return -1e-300;
    case 9: return QJsonArray();
    case 10: return QJsonObject();
    case 11: return QString(5000, QLatin1Char('w'));
    case 12: return QJsonArray{1, QStringLiteral("a"), QJsonArray{-1e20}};
    default: return QStringLiteral("missing/folder/file.png");
  }
}

/// The document with one value, anywhere, that is another one, is gone, or is there twice.
QJsonValue withAFault(const QJsonValue& at, std::uint64_t seed, int depth = 0) {
  const auto random = [&](std::uint64_t what) { return hashOf(seed, static_cast<std::uint64_t>(depth), what); };
  const bool isHere = depth > 2 && random(0) % 4 == 0;  // what has no nodes at all is refused and of no more interest
  if (at.isObject() && !at.toObject().isEmpty() && !isHere) {
    QJsonObject o = at.toObject();
    const QStringList keys = o.keys();
    const QString key = keys[static_cast<int>(random(1) % static_cast<std::uint64_t>(keys.size()))];
    if (depth > 0 && random(2) % 6 == 0)
      o.remove(key);
    else if (depth > 0 && random(2) % 6 == 1)  // the value of another key
      o[key] = o[keys[static_cast<int>(random(3) % static_cast<std::uint64_t>(keys.size()))]];
    else if (depth > 0 || o[key].isArray() || o[key].isObject())
      o[key] = withAFault(o[key], seed, depth + 1);
    return o;
  }
  if (at.isArray() && !at.toArray().isEmpty() && !isHere) {
    QJsonArray a = at.toArray();
    const auto i = static_cast<int>(random(1) % static_cast<std::uint64_t>(a.size()));
    if (random(2) % 6 == 0)
      a.removeAt(i);
    else if (random(2) % 6 == 1)
      a.append(a[i]);
    else
      a[i] = withAFault(a[i], seed, depth + 1);
    return a;
  }
  return oddValue(random(4));
}

QByteArray damaged(const QByteArray& plan, std::uint64_t seed) {
  if (seed % 5 == 4) return QByteArray::fromStdString(test::mutated(plan.toStdString(), seed));
  QJsonValue document = QJsonDocument::fromJson(plan).object();
  for (std::uint64_t k = 0; k < 1 + seed % 4; ++k) document = withAFault(document, hashOf(seed, k));
  return QJsonDocument(document.toObject()).toJson();
}

}  // namespace

class TestMutatedPlans : public test::WindowTest {
  Q_OBJECT

  QTimer m_butler;  // answers questions: the careful way each
  int m_asked = 0;
  int m_tried = 0;
  int m_opened = 0;
  int m_stalls = 0;
  double m_longest = 0;  // ms

  bool isSettled() {
    return w().service().latest() && w().service().latest()->plan == w().model().snapshot() && !w().service().isBusy();
  }
  /// Until all is worked out, or for a while: what takes long is gone on with, as impatient people do.
  void settle() {
    (void)QTest::qWaitFor([this] { return isSettled(); }, 8000);
  }

  void clickThroughCards() {
    plan().fitAll();
    for (const Node& node : document().nodes) {
      const QString uid = QString::fromStdString(node.uid);
      plan().reveal(uid);
      QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().centerOf(uid));
      QCoreApplication::processEvents();
    }
  }
  void clickThroughModes() {
    for (QToolButton* mode : w().site().findChildren<QToolButton*>())
      if (mode->objectName().startsWith(QLatin1String("mode_")) && mode->isVisible() && mode->isEnabled()) {
        QTest::mouseClick(mode, Qt::LeftButton);
        QTest::qWait(20);
      }
    for (const char* view : {"view_ledger", "view_schedule", "view_bench"}) {
      trigger(view);
      QTest::qWait(20);
    }
    w().showKit(true);
    QTest::qWait(20);
    w().showKit(false);
  }
  /// The first number on the Bench, whatever node that is of; then taken back and done again.
  void editOnTheBench() {
    for (auto* field : w().bench().findChildren<QLineEdit*>())
      if (field->isVisible() && field->isEnabled() && !field->isReadOnly()) {
        type(field, QStringLiteral("2"));
        break;
      }
    trigger("edit_undo");
    trigger("edit_redo");
    w().model().edit(QStringLiteral("Seed"), [](Plan& p) { p.settings.seed ^= 5; });
  }
  void exportTo(const QString& path) {
    w().openExport();
    auto* window = w().findChild<ExportWindow*>(QStringLiteral("export_window"));
    QVERIFY(window);
    window->findChild<QLineEdit*>(QStringLiteral("export_path"))->setText(path);
    QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
    // What would be a file of gigabytes is given up.
    if (!QTest::qWaitFor([&] { return !window->isBusy(); }, 8000))
      QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("export_cancel")), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!window->isBusy(), 600'000);
    window->close();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  }

 private Q_SLOTS:
  void initTestCase() {
    startTests();
    connect(&m_butler, &QTimer::timeout, [this] {
      auto* modal = qobject_cast<QDialog*>(QApplication::activeModalWidget());
      if (!modal) return;
      ++m_asked;
      modal->reject();
    });
    m_butler.start(30);
  }
  void init() { openWindow(); }
  void cleanup() {
    w().model().undoStack().setClean();
    m_window.reset();
  }

  void whateverOpensCanBeWorkedOn_data() {
    QTest::addColumn<QString>("example");
    QTest::addColumn<int>("count");
    for (const char* name : {"deck", "fish-boxes", "fog", "gorse", "growth", "lots", "moss", "one-slope", "patches",
                             "shed", "where-and-why", "from-your-mesh"})
      QTest::newRow(name) << QString::fromLatin1("examples/%1").arg(QLatin1String(name)) << kPlansEach;
    for (const char* name : {"broken", "regatta", "swell", "tide"})
      QTest::newRow(name) << QString::fromLatin1("examples/%1").arg(QLatin1String(name)) << kPlansEach / 2;
    QTest::newRow("tern-cove") << QString::fromLatin1("tern-cove/tern-cove") << kPlansEach / 3;
  }
  void whateverOpensCanBeWorkedOn() {
    QFETCH(QString, example);
    QFETCH(int, count);
    QFile source(test::sourcePath(qPrintable(QStringLiteral("demo/%1.arvesk").arg(example))));
    QVERIFY(source.open(QIODevice::ReadOnly));
    // Beside links to what it needs, so that its files are found.
    QTemporaryDir dir;
    QVERIFY(QDir(dir.path()).mkpath(QStringLiteral("examples")));
    QVERIFY(QFile::link(test::sourcePath("demo/tern-cove"), dir.filePath(QStringLiteral("tern-cove"))));
    for (const QFileInfo& beside :
         QDir(test::sourcePath("demo/tern-cove")).entryInfoList(QDir::AllEntries | QDir::NoDotAndDotDot))
      QVERIFY(QFile::link(beside.filePath(), dir.filePath(QStringLiteral("examples/") + beside.fileName())));
    const QByteArray whole = source.readAll();
    int opened = 0;
    int saved = 0;
    for (int k = 0; k < count; ++k) {
      const auto seed = hashOf(hashText(example.toStdString()), static_cast<std::uint64_t>(k)) % 100'000;
      const QString path = dir.filePath(QStringLiteral("examples/plan-%1.arvesk").arg(k));
      QFile out(path);
      QVERIFY(out.open(QIODevice::WriteOnly) && out.write(damaged(whole, seed)) > 0);
      out.close();
      w().model().undoStack().setClean();
      test::Pulse pulse;
      if (!w().openFile(path)) continue;
      pulse.during("opening");
      settle();
      pulse.during("cards");
      clickThroughCards();
      pulse.during("modes");
      clickThroughModes();
      pulse.during("edits");
      editOnTheBench();
      settle();
      pulse.during("saving");
      ++opened;
      saved += w().saveTo(path) ? 1 : 0;
      if (k % 5 == 0) exportTo(dir.filePath(QStringLiteral("out.csv")));
      for (const auto& [ms, during] : pulse.stalls()) {
        ++m_stalls;
        if (ms > 100) qWarning("%s, plan %d, %s: %.0f ms", qPrintable(example), k, during, ms);
        m_longest = std::max(m_longest, ms);
      }
      // What was saved is a plan that can be opened again.
      QVERIFY2(loadPlan(path.toStdString()).has_value(), qPrintable(path));
    }
    QCOMPARE(saved, opened);
    m_tried += count;
    m_opened += opened;
  }

  void mostOfThemOpened() {
    QVERIFY2(m_opened * 3 > m_tried, qPrintable(QStringLiteral("%1 of %2").arg(m_opened).arg(m_tried)));
  }

  void cleanupTestCase() {
    qInfo("%d questions; %d turns that held the window up, the longest %.0f ms", m_asked, m_stalls, m_longest);
  }
};

QTEST_MAIN(TestMutatedPlans)
#include "tst_mutated_plans.moc"
