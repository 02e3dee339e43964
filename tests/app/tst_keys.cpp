// Keys: every command once, found and changed in the key window, kept for the next run; and what a screen reader and
// the Tab key need.
#include "app/window/key_window.h"
#include "tests/app/window_test.h"

#include <QAbstractButton>
#include <QAbstractSlider>
#include <QComboBox>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QMenuBar>
#include <QPlainTextEdit>
#include <QSignalSpy>
#include <QTreeWidget>

using namespace arvesk;

class TestKeys : public test::WindowTest {
  Q_OBJECT

  KeyWindow* openKeys() {
    w().findChild<QAction*>(QStringLiteral("help_keys"))->trigger();
    return w().findChild<KeyWindow*>(QStringLiteral("key_window"));
  }
  QAction* action(const char* name) { return w().findChild<QAction*>(QLatin1String(name)); }
  void press(QWidget* in, const char* command, const QKeySequence& keys) {
    auto* edit = in->findChild<QKeySequenceEdit*>(QStringLiteral("key.") + QLatin1String(command));
    QVERIFY(edit);
    edit->setFocus();
    QTest::keySequence(edit, keys);
    // The field waits for a second press before it takes the first for all.
    QSignalSpy taken(edit, &QKeySequenceEdit::editingFinished);
    QVERIFY(taken.wait(5000));
  }
  QString fault(QWidget* in) {
    const auto* label = in->findChild<QLabel*>(QStringLiteral("key_fault"));
    return label->isVisible() ? label->text() : QString();
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() {
    QSettings().clear();
    openWindow();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    plan().setFocus();
  }
  void cleanup() { m_window.reset(); }

  void everyCommandHasWordsAndKeysOfItsOwn() {
    std::map<std::pair<QString, QWidget*>, QString> owners;
    std::set<QString> names;
    std::size_t commands = 0;
    for (const QMenu* menu : w().menuBar()->findChildren<QMenu*>())
      for (const QAction* a : menu->actions()) {
        if (a->isSeparator() || a->menu() || a->objectName().isEmpty()) continue;
        ++commands;
        QVERIFY2(!a->text().trimmed().isEmpty() && !a->text().contains(QLatin1Char('\t')), qPrintable(a->objectName()));
        QVERIFY2(names.insert(a->objectName()).second, qPrintable(a->objectName()));
        for (const QKeySequence& k : a->shortcuts()) {
          const QString other = std::exchange(
              owners[{k.toString(), a->shortcutContext() == Qt::WidgetShortcut
                                        ? qobject_cast<QWidget*>(a->associatedObjects().value(0))
                                        : nullptr}],
              a->objectName());
          QVERIFY2(other.isEmpty(), qPrintable(other + QStringLiteral(" and ") + a->objectName() +
                                               QStringLiteral(" share ") + k.toString()));
        }
      }
    QVERIFY(commands > 45);
  }

  void aKeyIsFoundChangedAndKept() {
    KeyWindow* keys = openKeys();
    auto* list = keys->findChild<QTreeWidget*>(QStringLiteral("key_list"));
    const auto visible = [&] {
      QStringList out;
      for (int i = 0; i < list->topLevelItemCount(); ++i)
        if (!list->topLevelItem(i)->isHidden()) out.append(list->topLevelItem(i)->text(0));
      return out;
    };
    QVERIFY(visible().size() > 45);
    auto* search = keys->findChild<QLineEdit*>(QStringLiteral("key_search"));
    QTest::keyClicks(search, QStringLiteral("ctrl+e"));
    QCOMPARE(visible(), QStringList{QStringLiteral("File · Export…")});
    search->selectAll();
    QTest::keyClicks(search, QStringLiteral("skip"));
    QCOMPARE(visible(), QStringList{QStringLiteral("Plan · Skip")});

    press(keys, "plan_skip", QKeySequence(Qt::Key_J));
    QCOMPARE(action("plan_skip")->shortcuts(), QList<QKeySequence>{QKeySequence(Qt::Key_J)});
    keys->close();
    w().activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(&w()));
    plan().setFocus();
    clickCard("Pebbles");
    const std::string uid = plan().selection().first().toStdString();
    QTest::keyClick(&plan(), Qt::Key_K);
    QVERIFY(!document().find(uid)->isSkipped);
    QTest::keyClick(&plan(), Qt::Key_J);
    QVERIFY(document().find(uid)->isSkipped);
    // The hint in the status line says what the key is now.
    const QList<QLabel*> labels = w().findChildren<QLabel*>();
    QVERIFY(std::any_of(labels.begin(), labels.end(),
                        [](const QLabel* l) { return l->text().contains(QStringLiteral("J skip")); }));
    // Another run has it too; all as they were gives the old one back.
    trigger("edit_undo");
    m_window.reset();
    openWindow();
    QCOMPARE(action("plan_skip")->shortcut(), QKeySequence(Qt::Key_J));
    keys = openKeys();
    QTest::mouseClick(keys->findChild<QAbstractButton*>(QStringLiteral("keys_reset")), Qt::LeftButton);
    QCOMPARE(action("plan_skip")->shortcut(), QKeySequence(Qt::Key_K));
    m_window.reset();
    openWindow();
    QCOMPARE(action("plan_skip")->shortcut(), QKeySequence(Qt::Key_K));
  }

  void aKeyThatIsTakenIsRefused() {
    KeyWindow* keys = openKeys();
    press(keys, "plan_tidy", QKeySequence(Qt::Key_K));  // skip's, in the same view
    QVERIFY2(fault(keys).contains(QStringLiteral("Skip")), qPrintable(fault(keys)));
    QCOMPARE(action("plan_tidy")->shortcut(), QKeySequence(Qt::Key_T));
    press(keys, "site_fit", QKeySequence(Qt::CTRL | Qt::Key_S));  // acts everywhere
    QVERIFY2(fault(keys).contains(QStringLiteral("Save")), qPrintable(fault(keys)));
    press(keys, "site_fit", QKeySequence(Qt::Key_K));  // Plan's key is free in Site
    QVERIFY(fault(keys).isEmpty());
    QCOMPARE(action("site_fit")->shortcut(), QKeySequence(Qt::Key_K));
    QTest::mouseClick(keys->findChild<QAbstractButton*>(QStringLiteral("nokey.plan_skip")), Qt::LeftButton);
    QVERIFY(action("plan_skip")->shortcuts().isEmpty());
    press(keys, "plan_tidy", QKeySequence(Qt::Key_K));
    QCOMPARE(action("plan_tidy")->shortcut(), QKeySequence(Qt::Key_K));
  }

  /// Whoever hears the window instead of seeing it: each control that takes the focus says what it is.
  void everyControlHasAName() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    for (const char* uid : {"steep-sand", "marram", "marram-props", "seaweed", "drift"}) {
      plan().reveal(QLatin1String(uid));
      QCOMPARE(plan().selection(), QStringList{QLatin1String(uid)});
      for (const QWidget* widget : w().findChildren<QWidget*>()) {
        if (!widget->isVisible() || widget->focusPolicy() == Qt::NoFocus || widget->focusProxy()) continue;
        const bool isControl = qobject_cast<const QLineEdit*>(widget) || qobject_cast<const QAbstractButton*>(widget) ||
                               qobject_cast<const QComboBox*>(widget) || qobject_cast<const QAbstractSlider*>(widget) ||
                               qobject_cast<const QPlainTextEdit*>(widget);
        if (!isControl || widget->objectName().startsWith(QStringLiteral("qt_"))) continue;
        const auto* button = qobject_cast<const QAbstractButton*>(widget);
        bool isNamed = !widget->accessibleName().isEmpty() || (button && !button->text().isEmpty());
        for (const QLabel* label : w().findChildren<QLabel*>())
          isNamed = isNamed || (label->buddy() && (label->buddy() == widget || label->buddy()->isAncestorOf(widget)));
        for (const QWidget* p = widget->parentWidget(); p && !isNamed; p = p->parentWidget())
          isNamed = qobject_cast<const QComboBox*>(p) != nullptr;
        QVERIFY2(isNamed, qPrintable(QStringLiteral("%1 (%2) in %3")
                                         .arg(widget->objectName(), QLatin1String(widget->metaObject()->className()),
                                              widget->parentWidget()->objectName())));
      }
    }
  }
};

QTEST_MAIN(TestKeys)
#include "tst_keys.moc"
