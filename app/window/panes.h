// The three panes of the window and how they stand: Plan and Kit; Site; Bench, Ledger and Schedule.
#pragma once

#include <QByteArray>

class QDockWidget;
class QMainWindow;
class QString;
class QWidget;

namespace arvesk {

enum class Arrangement { SiteLarge, PlanLarge, SideBySide };

class Panes {
 public:
  explicit Panes(QMainWindow* window) : m_window(window) {}
  /// Made once, in this order, before any is arranged. `head` stands above; dragging it moves the pane.
  QDockWidget* addPlan(const QString& title, QWidget* content, QWidget* head);
  QDockWidget* addSite(const QString& title, QWidget* content);
  QDockWidget* addBench(const QString& title, QWidget* content, QWidget* head);

  /// Places all three by the size of the window; those that were closed or float come back.
  void arrange(Arrangement which);
  /// Gives them their usual shares of the room that the window has now.
  void share(Arrangement which);
  Arrangement now() const;
  /// From an earlier run; false when it holds nothing that fits.
  bool restore(const QByteArray& state);
  QByteArray state() const;
  /// Before what they show goes.
  void remove();

 private:
  QDockWidget* add(const QString& title, const char* name, QWidget* content, QWidget* head);

  QMainWindow* m_window;
  QDockWidget* m_plan = nullptr;
  QDockWidget* m_site = nullptr;
  QDockWidget* m_bench = nullptr;
};

}  // namespace arvesk
