// The tiles window as it is used: sends a plan off, follows, goes away and comes back, stops, says what failed.
#include "app/window/tile_map.h"
#include "app/window/tiles_window.h"
#include "tests/app/window_test.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QTreeWidget>

using namespace arvesk;

class TestTilesWindow : public test::WindowTest {
  Q_OBJECT

  using State = TileStates::State;
  std::unique_ptr<QTemporaryDir> m_files;
  QPointer<TilesWindow> m_tiles;

  template <typename T>
  T* part(const char* name) {
    return m_tiles->findChild<T*>(QLatin1String(name));
  }
  QString words() { return part<QLabel>("tiles_message")->text(); }
  void open() {
    trigger("file_tiles");
    m_tiles = w().findChild<TilesWindow*>(QStringLiteral("tiles_window"));
    QVERIFY(m_tiles);
    QTRY_VERIFY(m_tiles->isVisible());
  }
  void send(double size) {
    auto* field = part<QDoubleSpinBox>("tiles_size");
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, QLocale().toString(size));
    part<QComboBox>("tiles_format")->setCurrentIndex(part<QComboBox>("tiles_format")->findData(QStringLiteral("csv")));
    QTest::mouseClick(part<QPushButton>("tiles_send"), Qt::LeftButton);
    QVERIFY2(m_tiles->isUnderWay(), qPrintable(words()));
  }
  std::size_t countOf(State state) { return m_tiles->states() ? m_tiles->states()->countOf(state) : 0; }
  std::size_t over() { return countOf(State::Done) + countOf(State::Empty); }
  bool isAllOver() { return m_tiles->states() && !m_tiles->isUnderWay() && over() == m_tiles->states()->tiles.size(); }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    m_files = std::make_unique<QTemporaryDir>();
    QVERIFY(QDir(m_files->path()).mkdir(QStringLiteral("examples")));
    QVERIFY(QFile::link(test::sourcePath("demo/tern-cove"), m_files->filePath(QStringLiteral("tern-cove"))));
    const QString file = m_files->filePath(QStringLiteral("examples/slope.arvesk"));
    QVERIFY(QFile::copy(test::sourcePath("demo/examples/one-slope.arvesk"), file));
    QVERIFY(QFile::setPermissions(file, QFile::ReadOwner | QFile::WriteOwner));
    openWindow();
    QVERIFY(w().openFile(file));
    waitForResults();
    open();
  }
  void cleanup() {
    if (m_tiles) QTRY_VERIFY_WITH_TIMEOUT(!m_tiles->isUnderWay(), 120'000);
    w().model().undoStack().setClean();
    m_window.reset();
  }

  void whatIsSentIsFollowed() {
    QVERIFY(!m_tiles->states());
    send(8);
    QTRY_VERIFY_WITH_TIMEOUT(isAllOver(), 120'000);
    const QString folder = m_files->filePath(QStringLiteral("examples/slope-tiles"));
    QFile manifest(folder + QStringLiteral("/tiles.json"));
    QVERIFY2(manifest.open(QIODevice::ReadOnly), qPrintable(words()));
    const QJsonObject json = QJsonDocument::fromJson(manifest.readAll()).object();
    QVERIFY(json[QStringLiteral("placements")].toInteger() > 500);
    QCOMPARE(json[QStringLiteral("placements")].toInteger(), static_cast<qint64>(m_tiles->states()->placements));
    QVERIFY2(words().contains(QLocale().toString(m_tiles->states()->placements)), qPrintable(words()));
    // Each square is its tile's.
    auto* map = part<TileMap>("tiles_map");
    for (std::size_t t = 0; t < m_tiles->states()->tiles.size(); ++t) {
      QCOMPARE(map->tileAt(map->squareOf(t).center()), std::optional(t));
      QVERIFY(map->wordsOf(t).startsWith(QString::fromStdString(m_tiles->states()->sent.grid.nameOf(t))));
    }
    QVERIFY(!map->tileAt(map->squareOf(0).topLeft() - QPointF(4, 4)));
  }

  /// The window goes away while they are at work; a later one takes them up. After an edit the plan is saved, and what
  /// was made before shows as what it is until it is made again.
  void theyGoOnWithoutTheWindow() {
    part<QSpinBox>("tiles_jobs")->setValue(2);
    send(2);
    QTRY_VERIFY_WITH_TIMEOUT(over() > 0, 120'000);
    QTest::mouseClick(part<QPushButton>("tiles_close"), Qt::LeftButton);
    QTRY_VERIFY(!m_tiles);
    open();
    QTRY_VERIFY_WITH_TIMEOUT(isAllOver(), 120'000);
    QCOMPARE(part<QDoubleSpinBox>("tiles_size")->value(), 2.0);  // it goes on with what stands there
    QCOMPARE(part<QComboBox>("tiles_format")->currentData().toString(), QStringLiteral("csv"));
    const std::size_t before = m_tiles->states()->placements;
    QVERIFY(before > 500);
    trigger("plan_next_seed");
    QVERIFY(!w().model().undoStack().isClean());
    send(2);
    QVERIFY(w().model().undoStack().isClean());
    QTRY_VERIFY_WITH_TIMEOUT(countOf(State::Stale) > 0, 120'000);
    QTRY_VERIFY_WITH_TIMEOUT(isAllOver(), 120'000);
    QVERIFY(m_tiles->states()->placements != before);
  }

  void aStopKeepsWhatIsDone() {
    send(2);
    QTRY_VERIFY_WITH_TIMEOUT(over() > 2, 120'000);
    QTest::mouseClick(part<QPushButton>("tiles_stop"), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!m_tiles->isUnderWay(), 60'000);
    const std::size_t done = over();
    QVERIFY(done > 2 && done < m_tiles->states()->tiles.size());
    QVERIFY2(words().contains(QStringLiteral("Send goes on")), qPrintable(words()));
    send(2);
    QTRY_VERIFY_WITH_TIMEOUT(isAllOver(), 120'000);
  }

  /// Props that are gone: every tile that has some fails, and the cause is told once.
  void whatFailsIsListed() {
    QVERIFY(QFile::remove(m_files->filePath(QStringLiteral("tern-cove"))));
    send(8);
    QTRY_VERIFY_WITH_TIMEOUT(!m_tiles->isUnderWay() && countOf(State::Failed) > 0, 120'000);
    auto* failed = part<QTreeWidget>("tiles_failed");
    QVERIFY(failed->isVisible());
    QVERIFY(failed->topLevelItemCount() >= 1 && failed->topLevelItemCount() < 4);
    QVERIFY(!failed->topLevelItem(0)->text(0).isEmpty());
    QVERIFY2(words().contains(QStringLiteral("failed")), qPrintable(words()));
  }

  void aFolderThatCannotBeMadeIsSaid() {
    auto* folder = part<QLineEdit>("tiles_folder");
    folder->selectAll();
    QTest::keyClicks(folder, QStringLiteral("/proc/nowhere"));
    QTest::mouseClick(part<QPushButton>("tiles_send"), Qt::LeftButton);
    QVERIFY2(words().contains(QStringLiteral("/proc/nowhere")) && !m_tiles->isUnderWay(), qPrintable(words()));
  }
};

QTEST_MAIN(TestTilesWindow)
#include "tst_tiles_window.moc"
