// Nothing is cut off: on every kind's Bench, in every panel and window, in both palettes, at the size that pictures are taken at, words have
// the room that they need and nothing lies on top of its neighbor.
#include "tests/app/window_test.h"
#include "app/window/key_window.h"

#include <QAbstractButton>
#include <QComboBox>
#include <QLabel>
#include <QLayout>
#include <QScrollArea>
#include <QStyle>
#include <QTextDocument>

using namespace arvesk;

class TestFit : public test::WindowTest {
  Q_OBJECT

  /// The first visible widget below `root` whose words do not fit, or empty.
  static QString cutOffIn(QWidget* root) {
    for (QWidget* w : root->findChildren<QWidget*>()) {
      if (!w->isVisible() || w->width() < 1) continue;
      int needed = 0;
      QString words;
      if (const auto* label = qobject_cast<QLabel*>(w)) {
        if (label->text().isEmpty() || label->wordWrap() || Qt::mightBeRichText(label->text())) continue;
        words = label->text();
        needed = label->fontMetrics().boundingRect(words).width() + label->margin() * 2;
      } else if (const auto* button = qobject_cast<QAbstractButton*>(w)) {
        if (button->text().isEmpty()) continue;
        words = button->text();
        needed = button->fontMetrics().boundingRect(button->text()).width();
      } else if (const auto* box = qobject_cast<QComboBox*>(w)) {
        words = box->currentText();
        needed = box->fontMetrics().boundingRect(words).width();
      } else if (const auto* line = qobject_cast<QLineEdit*>(w)) {
        if (line->isReadOnly() || line->maxLength() < 0 || line->hasFocus()) continue;
        words = line->text();
        if (!words.isEmpty() && (words[0].isDigit() || words[0] == QLatin1Char('-'))) needed = line->fontMetrics().boundingRect(words).width();  // numbers; names may scroll
      }
      if (needed > w->width() + 2) return QStringLiteral("\"%1\" needs %2 px and has %3, in %4").arg(words).arg(needed).arg(w->width()).arg(w->objectName().isEmpty() ? w->parentWidget()->objectName() : w->objectName());
      if (needed > 0 && w->fontMetrics().height() > w->height() + 1) return QStringLiteral("\"%1\" is cut at its height").arg(words);
    }
    return {};
  }

  /// Neighbors of one parent that lie on each other.
  static QString overlapIn(QWidget* root) {
    for (QWidget* parent : root->findChildren<QWidget*>()) {
      if (!parent->isVisible() || !parent->layout()) continue;
      QList<QWidget*> shown;
      for (QObject* child : parent->children())
        if (auto* w = qobject_cast<QWidget*>(child); w && w->isVisible() && !w->isWindow() && w->width() > 0 && parent->layout()->indexOf(w) >= 0) shown.append(w);
      for (qsizetype i = 0; i < shown.size(); ++i)
        for (qsizetype k = i + 1; k < shown.size(); ++k)
          if (shown[i]->geometry().adjusted(1, 1, -1, -1).intersects(shown[k]->geometry().adjusted(1, 1, -1, -1)))
            return QStringLiteral("%1 lies on %2 in %3").arg(shown[i]->objectName(), shown[k]->objectName(), parent->objectName());
    }
    return {};
  }

  void looksRight(QWidget* root, const QString& where) {
    for (int i = 0; i < 40 && (!cutOffIn(root).isEmpty() || !overlapIn(root).isEmpty()); ++i) QTest::qWait(25);  // what is being laid out
    QVERIFY2(cutOffIn(root).isEmpty(), qPrintable(where + QStringLiteral(": ") + cutOffIn(root)));
    QVERIFY2(overlapIn(root).isEmpty(), qPrintable(where + QStringLiteral(": ") + overlapIn(root)));
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() {
    m_window.reset();
    Theme::apply(*qApp, QStringLiteral("paper"));
  }

  void everyKindFitsOnTheBench_data() {
    QTest::addColumn<QString>("id");
    for (const NodeKind* kind : allNodeKinds()) QTest::newRow(kind->id.c_str()) << QString::fromStdString(kind->id);
  }
  void everyKindFitsOnTheBench() {
    QFETCH(QString, id);
    const NodeKind& kind = *findNodeKind(id.toStdString());
    const QString uid = w().model().addNode(kind, 40, 40);
    plan().reveal(uid);
    looksRight(&w().bench(), id);
    // Every choice may show other controls.
    for (const ParamSpec& spec : kind.params) {
      if (spec.type == ParamType::Toggle) w().model().setParam(uid, spec.id, !std::get<bool>(document().find(uid.toStdString())->value(spec)));
      if (spec.type != ParamType::Choice) continue;
      for (const Option& option : spec.options) {
        w().model().setParam(uid, spec.id, option.id);
        looksRight(&w().bench(), QStringLiteral("%1, %2 is %3").arg(id, QString::fromStdString(spec.id), QString::fromStdString(option.id)));
        if (QTest::currentTestFailed()) return;
      }
    }
    const QRect bench(w().bench().mapTo(&w(), QPoint()), w().bench().size());
    QVERIFY2(w().rect().contains(bench), "the Bench is inside the window");
  }

  void everyPanelFits_data() {
    QTest::addColumn<QString>("theme");
    QTest::addColumn<QSize>("size");
    for (const char* theme : {"paper", "night"}) {
      QTest::addRow("%s, 1280 x 800", theme) << QString::fromLatin1(theme) << QSize(1280, 800);
      QTest::addRow("%s, 1920 x 1080", theme) << QString::fromLatin1(theme) << QSize(1920, 1080);
    }
  }
  void everyPanelFits() {
    QFETCH(QString, theme);
    QFETCH(QSize, size);
    Theme::apply(*qApp, theme);
    w().resize(size);
    const bool isLarge = size.width() < 1900 && theme == QStringLiteral("paper");
    QVERIFY(w().openFile(test::sourcePath(isLarge ? "demo/tern-cove/tern-cove.arvesk" : "demo/examples/deck.arvesk")));
    waitForResults();
    QCOMPARE(w().size(), size);
    looksRight(&w(), QStringLiteral("Bench of the plan"));
    w().showBottom(MainWindow::Bottom::Schedule);
    QTRY_VERIFY_WITH_TIMEOUT(!w().schedule().isBusy(), 120'000);
    looksRight(&w(), QStringLiteral("Schedule"));
    w().showBottom(MainWindow::Bottom::Ledger);
    looksRight(&w(), QStringLiteral("Ledger"));
    w().showKit(true);
    looksRight(&w(), QStringLiteral("Kit"));
    trigger("help_keys");
    looksRight(w().findChild<KeyWindow*>(QStringLiteral("key_window")), QStringLiteral("keys"));
    w().openExport();
    QTRY_VERIFY(w().findChild<QDialog*>(QStringLiteral("export_window")));
    looksRight(w().findChild<QDialog*>(QStringLiteral("export_window")), QStringLiteral("Export"));
  }
};

QTEST_MAIN(TestFit)
#include "tst_fit.moc"
