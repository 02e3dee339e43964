// What tests of the window share: a window on offscreen, and the hands and eyes of whoever uses it.
#pragma once

#include "app/window/main_window.h"
#include "app/window/theme.h"
#include "tests/support/mouse.h"
#include "tests/support/support.h"

#include <QAbstractButton>
#include <QApplication>
#include <QDirIterator>
#include <QLineEdit>
#include <QMessageBox>
#include <QSettings>
#include <QTimer>

namespace arvesk::test {

/// Clicks the button with this text in the next message box, once it is there and holds these words.
inline void answerNextBox(const QString& button, const QString& words = {}, int tries = 200) {
  QTimer::singleShot(50, qApp, [button, words, tries] {
    auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
    if (!box && tries > 0) return answerNextBox(button, words, tries - 1);
    QVERIFY2(box, "a question was expected");
    const QString said = box->text();
    for (QAbstractButton* b : box->buttons())
      if (b->text().remove(QLatin1Char('&')) == button) {
        QTest::mouseClick(b, Qt::LeftButton);
        QVERIFY2(said.contains(words), qPrintable(said));
        return;
      }
    QFAIL(qPrintable(QStringLiteral("the question has no button %1").arg(button)));
  });
}

class WindowTest : public QObject {
 protected:
  QTemporaryDir m_dir;
  std::unique_ptr<MainWindow> m_window;

  MainWindow& w() { return *m_window; }
  PlanView& plan() { return m_window->planView(); }
  QWidget* paper() { return plan().viewport(); }
  const Plan& document() { return m_window->model().plan(); }

  void waitForResults() {
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest() && w().service().latest()->plan == w().model().snapshot() &&
                                 !w().service().isBusy() && !w().masks().isBusy(),
                             60'000);
  }
  std::string uidOf(const char* title) {
    for (const Node& n : document().nodes)
      if (n.title == title) return n.uid;
    return {};
  }
  QString quid(const char* title) { return QString::fromStdString(uidOf(title)); }
  const NodeReport& report(const char* title) { return w().service().latest()->evaluation.reports.at(uidOf(title)); }

  void addByKeys(const QString& words) {
    QTest::keyClick(&plan(), Qt::Key_Return);
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("find_line"));
    QTRY_VERIFY(line->isVisible());
    QTest::keyClicks(line, words);
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(!line->isVisible());
  }
  void clickCard(const char* title, Qt::KeyboardModifiers with = {}) {
    QTest::mouseClick(paper(), Qt::LeftButton, with, plan().centerOf(quid(title)));
  }
  void drag(const QPoint& from, const QPoint& to) { test::dragMouse(paper(), from, to); }
  void trigger(const char* action) {
    auto* a = w().findChild<QAction*>(QLatin1String(action));
    QVERIFY2(a, action);
    a->trigger();
  }
  void type(QLineEdit* line, const QString& text) {
    line->setFocus();
    line->selectAll();
    QTest::keyClicks(line, text);
    QTest::keyClick(line, Qt::Key_Return);
  }

  void startTests() {
    // Settings and unsaved work of their own: tests run side by side.
    qputenv("XDG_DATA_HOME", m_dir.filePath(QStringLiteral("data")).toUtf8());
    qputenv("XDG_CONFIG_HOME", m_dir.filePath(QStringLiteral("config")).toUtf8());
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, m_dir.filePath(QStringLiteral("settings")));
    QApplication::setOrganizationName(QStringLiteral("ArveskTest"));
    QApplication::setApplicationName(QStringLiteral("ArveskTest"));
    Theme::apply(*qApp, QStringLiteral("paper"));
  }
  void openWindow() {
    QDir(Recovery::root()).removeRecursively();  // what the test before left behind
    m_window = std::make_unique<MainWindow>();
    m_window->resize(1280, 800);
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
  }
};

}  // namespace arvesk::test
