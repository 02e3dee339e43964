// The export window as it is used: every format with the options that it has, some outputs of several, what cannot be
// written, a cancel.
#include "app/window/export_window.h"
#include "tests/app/window_test.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QTreeWidget>

using namespace arvesk;

class TestHandingOver : public test::WindowTest {
  Q_OBJECT

  ExportWindow* m_export = nullptr;
  template <typename T>
  T* part(const char* name) {
    return m_export->findChild<T*>(QLatin1String(name));
  }
  QString words() { return part<QLabel>("export_message")->text(); }
  QCheckBox* output(const char* title) {
    for (QCheckBox* box : m_export->findChildren<QCheckBox*>())
      if (box->text() == QLatin1String(title)) return box;
    return nullptr;
  }

  void begin(const QString& file) {
    auto* path = part<QLineEdit>("export_path");
    path->selectAll();
    QTest::keyClicks(path, file);
    QTest::mouseClick(part<QPushButton>("export_start"), Qt::LeftButton);
  }
  void exportTo(const QString& file) {
    begin(file);
    QTRY_VERIFY_WITH_TIMEOUT(!m_export->isBusy(), 60'000);
  }
  /// Placements as the report counts them, over all outputs.
  static int counted(QTreeWidget* report, const QString& group) {
    int sum = 0;
    for (QTreeWidgetItem* top : report->findItems(group, Qt::MatchExactly))
      for (int i = 0; i < top->childCount(); ++i) sum += QLocale().toInt(top->child(i)->text(1));
    return sum;
  }
  int placed() { return QLocale().toInt(words().section(QLatin1Char(' '), 0, 0)); }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    openWindow();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/growth.arvesk")));
    waitForResults();
    trigger("file_export");
    m_export = w().findChild<ExportWindow*>(QStringLiteral("export_window"));
    QVERIFY(m_export);
  }
  void cleanup() { m_window.reset(); }

  void everyFormatWithItsOptions_data() {
    QTest::addColumn<QString>("ending");
    QTest::addColumn<QString>("option");  // a list of ways that only this format has
    for (const char* e : {"glb", "gltf"}) QTest::newRow(e) << e << "export_gltf";
    QTest::newRow("usda") << "usda"
                          << "export_usd";
    for (const char* e : {"csv", "ply", "obj"}) QTest::newRow(e) << e << "";
  }
  void everyFormatWithItsOptions() {
    QFETCH(QString, ending);
    QFETCH(QString, option);
    QTemporaryDir dir;
    const QString file = dir.filePath(QStringLiteral("out.") + ending);
    part<QLineEdit>("export_path")->setText(file);
    for (const char* name : {"export_gltf", "export_usd"})
      QCOMPARE(part<QComboBox>(name)->isVisible(), option == QLatin1String(name));
    QCOMPARE(part<QCheckBox>("export_attributes")->isVisible(), ending != QStringLiteral("obj"));
    auto* ways = option.isEmpty() ? nullptr : part<QComboBox>(qPrintable(option));
    int first = 0;
    for (int way = 0; way < (ways ? ways->count() : 1); ++way) {
      if (ways) ways->setCurrentIndex(way);
      exportTo(file);
      QVERIFY2(!words().startsWith(QLatin1Char('!')), qPrintable(words()));
      QVERIFY(QFileInfo(file).size() > 1000);
      QVERIFY(placed() > 100);
      if (way == 0) first = placed();
      QCOMPARE(placed(), first);  // whatever the way, the same are handed over
      auto* report = part<QTreeWidget>("export_report");
      QVERIFY(report->isVisible());
      QCOMPARE(counted(report, QStringLiteral("By output")), first);
      QCOMPARE(counted(report, QStringLiteral("By prop")), first);
    }
  }

  /// Convex bodies come beside where something is broken, and only there can they be asked for.
  void bodiesComeBesidePieces() {
    QVERIFY(!part<QCheckBox>("export_bodies")->isVisible());
    m_export->close();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/broken.arvesk")));
    waitForResults();
    trigger("file_export");
    m_export = w().findChildren<ExportWindow*>().last();
    auto* bodies = part<QCheckBox>("export_bodies");
    QTRY_VERIFY(bodies->isVisible());
    QTemporaryDir dir;
    exportTo(dir.filePath(QStringLiteral("plain.csv")));
    QVERIFY(placed() > 100 && !QFile::exists(dir.filePath(QStringLiteral("plain-bodies.glb"))));
    QTest::mouseClick(bodies, Qt::LeftButton, {}, {8, bodies->height() / 2});
    QVERIFY(bodies->isChecked());
    exportTo(dir.filePath(QStringLiteral("wall.csv")));
    QVERIFY2(!words().startsWith(QLatin1Char('!')), qPrintable(words()));
    QVERIFY(QFileInfo(dir.filePath(QStringLiteral("wall-bodies.glb"))).size() > 10'000);
  }

  /// What a format does not hold cannot be chosen for it, and the window says so.
  void volumesGoIntoVdbAlone() {
    m_export->close();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/fog.arvesk")));
    waitForResults();
    trigger("file_export");
    m_export = w().findChildren<ExportWindow*>().last();
    QTemporaryDir dir;
    const auto box = [&](const char* title) {
      for (auto* b : m_export->findChildren<QCheckBox*>())
        if (b->text() == QLatin1String(title)) return b;
      return static_cast<QCheckBox*>(nullptr);
    };
    const auto says = [&](const QString& text) {
      const auto labels = m_export->findChildren<QLabel*>();
      return std::any_of(labels.begin(), labels.end(),
                         [&](QLabel* l) { return l->isVisible() && l->text().contains(text); });
    };
    part<QLineEdit>("export_path")->setText(dir.filePath(QStringLiteral("fog.glb")));
    QVERIFY(!box("Fog bank")->isEnabled() && box("Grass")->isEnabled());
    QVERIFY(says(QStringLiteral("which only .vdb holds: Fog bank")));
    QVERIFY(!part<QCheckBox>("export_half")->isVisible());
    exportTo(dir.filePath(QStringLiteral("fog.glb")));
    QVERIFY(placed() > 100);
    const QString vdb = dir.filePath(QStringLiteral("fog.vdb"));
    part<QLineEdit>("export_path")->setText(vdb);
    QVERIFY(box("Fog bank")->isEnabled() && !box("Grass")->isEnabled());
    QVERIFY(says(QStringLiteral("so not in it: Grass")));
    QVERIFY(!part<QCheckBox>("export_covers")->isVisible());
    exportTo(vdb);
    QVERIFY2(!words().startsWith(QLatin1Char('!')), qPrintable(words()));
    QVERIFY2(words().startsWith(QStringLiteral("1 volume")), qPrintable(words()));
    const qint64 whole = QFileInfo(vdb).size();
    QVERIFY(whole > 10'000);
    QTest::mouseClick(part<QCheckBox>("export_half"), Qt::LeftButton, {}, {8, 8});
    exportTo(vdb);
    QVERIFY(QFileInfo(vdb).size() < whole);
  }

  /// The list offers what the points carry, and the file holds what was chosen of it.
  void onlyTheChosenAttributes() {
    QTemporaryDir dir;
    const QString file = dir.filePath(QStringLiteral("some.csv"));
    const auto header = [&] {
      QFile in(file);
      return in.open(QIODevice::ReadOnly) ? QString::fromUtf8(in.readLine()).trimmed().split(QLatin1Char(','))
                                          : QStringList();
    };
    auto* list = part<QListWidget>("export_attribute_list");
    auto* all = part<QCheckBox>("export_attributes");
    exportTo(file);
    const QStringList whole = header();
    QStringList offered;
    for (int i = 0; i < list->count(); ++i) offered << list->item(i)->text();
    QVERIFY2(offered.size() >= 2, qPrintable(offered.join(QLatin1Char(' '))));
    for (const QString& name : offered)
      QVERIFY2(std::any_of(whole.begin(), whole.end(), [&](const QString& c) { return c.startsWith(name); }),
               qPrintable(name));
    // One is taken out by its box, as a hand would.
    QListWidgetItem* first = list->item(0);
    const QRect box = list->visualItemRect(first);
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, {box.left() + 10, box.center().y()});
    QCOMPARE(first->checkState(), Qt::Unchecked);
    QCOMPARE(all->checkState(), Qt::PartiallyChecked);
    exportTo(file);
    for (const QString& column : header()) QVERIFY2(!column.startsWith(first->text()), qPrintable(column));
    QVERIFY(header().size() < whole.size());
    // None, and all again.
    QTest::mouseClick(all, Qt::LeftButton, {}, {8, all->height() / 2});
    QCOMPARE(all->checkState(), Qt::Checked);
    QTest::mouseClick(all, Qt::LeftButton, {}, {8, all->height() / 2});
    QCOMPARE(all->checkState(), Qt::Unchecked);
    exportTo(file);
    for (const QString& column : header()) QVERIFY2(!offered.contains(column), qPrintable(column));
    QTest::mouseClick(all, Qt::LeftButton, {}, {8, all->height() / 2});
    exportTo(file);
    QCOMPARE(header(), whole);
    // What no chosen output carries is not offered.
    for (QCheckBox* output : m_export->findChildren<QCheckBox*>())
      if (output->objectName().isEmpty() && output->isChecked()) output->click();
    QCOMPARE(list->count(), 0);
  }

  /// A window that was opened before the plan was worked out learns what there is; of a plan before it knows nothing.
  void theListComesWithTheResults() {
    m_export->close();
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    trigger("file_export");
    m_export = w().findChildren<ExportWindow*>().last();
    auto* list = part<QListWidget>("export_attribute_list");
    QCOMPARE(list->count(), 0);
    QTRY_VERIFY_WITH_TIMEOUT(list->count() > 0, 60'000);
    // What is edited later is not what this window exports.
    const int before = list->count();
    w().model().setSkipped({quid("Limpets")}, true);
    waitForResults();
    QCOMPARE(list->count(), before);
  }

  void onlyTheChosenOutputs() {
    QTemporaryDir dir;
    const QString file = dir.filePath(QStringLiteral("some.csv"));
    QStringList titles;
    for (const Node& n : document().nodes)
      if (n.kind == "output") titles << QString::fromStdString(n.title);
    QVERIFY(titles.size() >= 2);
    part<QCheckBox>("export_covers")->setChecked(true);
    exportTo(file);
    const int all = placed();
    QCOMPARE(QDir(dir.path()).entryList({QStringLiteral("some-cover-*.png")}).size(), titles.size());
    QTest::mouseClick(output(qPrintable(titles.front())), Qt::LeftButton, {},
                      {8, output(qPrintable(titles.front()))->height() / 2});
    exportTo(file);
    QVERIFY(placed() < all && placed() > 0);
    for (const QString& title : titles.mid(1))
      QTest::mouseClick(output(qPrintable(title)), Qt::LeftButton, {}, {8, output(qPrintable(title))->height() / 2});
    begin(file);
    QCOMPARE(words(), QStringLiteral("Choose an output first."));
    QVERIFY(!m_export->isBusy());
  }

  void whatCannotBeWrittenIsSaid() {
    exportTo(QStringLiteral("/no/such/folder/out.glb"));
    QVERIFY2(words().startsWith(QStringLiteral("! ")) && words().contains(QStringLiteral("/no/such/folder")),
             qPrintable(words()));
    exportTo(m_dir.filePath(QStringLiteral("out.docx")));
    QVERIFY2(words().startsWith(QStringLiteral("! ")) && words().contains(QStringLiteral(".glb")), qPrintable(words()));
    exportTo(m_dir.filePath(QStringLiteral("after.csv")));  // and it goes on
    QVERIFY2(placed() > 100, qPrintable(words()));
  }

  void aCancelLeavesTheOldFile() {
    m_export->close();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    w().model().setParam(QStringLiteral("sow"), "density", 3000.0);
    trigger("file_export");
    for (ExportWindow* e : w().findChildren<ExportWindow*>(QStringLiteral("export_window")))
      if (e->isVisible()) m_export = e;
    const QString file = m_dir.filePath(QStringLiteral("kept.csv"));
    QFile old(file);
    QVERIFY(old.open(QIODevice::WriteOnly));
    old.write("what was here");
    old.close();
    test::answerNextBox(QStringLiteral("Replace it"));  // it was not written by this plan
    begin(file);
    QVERIFY(m_export->isBusy());
    QTest::qWait(300);
    QTest::mouseClick(part<QPushButton>("export_cancel"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!m_export->isBusy(), 5'000);
    QVERIFY2(words().startsWith(QStringLiteral("Canceled")), qPrintable(words()));
    QVERIFY(old.open(QIODevice::ReadOnly));
    QCOMPARE(old.readAll(), QByteArray("what was here"));
    // Closed in the middle of the work it ends the work, and the window lives on.
    test::answerNextBox(QStringLiteral("Replace it"));
    begin(file);
    m_export->close();
    QTest::qWait(200);
    QVERIFY(w().isVisible());
  }
};

QTEST_MAIN(TestHandingOver)
#include "tst_handing_over.moc"
