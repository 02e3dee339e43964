#include "app/window/panes.h"

#include <QDockWidget>
#include <QMainWindow>
#include <QString>
#include <QTimer>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kStateVersion = 2;  // 1 had Site in the middle

int partOf(int of, double part, int least, int most) { return std::clamp(static_cast<int>(of * part), least, most); }

}  // namespace

QDockWidget* Panes::add(const QString& title, const char* name, QWidget* content, QWidget* head) {
  auto* dock = new QDockWidget(title, m_window);
  dock->setObjectName(QLatin1String(name));
  dock->setWidget(content);
  dock->setTitleBarWidget(head);
  m_window->addDockWidget(Qt::LeftDockWidgetArea, dock, Qt::Horizontal);
  return dock;
}

QDockWidget* Panes::addPlan(const QString& title, QWidget* content, QWidget* head) {
  return m_plan = add(title, "left_dock", content, head);
}

QDockWidget* Panes::addSite(const QString& title, QWidget* content) {
  return m_site = add(title, "site_dock", content, new QWidget);  // its modes float over it
}

QDockWidget* Panes::addBench(const QString& title, QWidget* content, QWidget* head) {
  return m_bench = add(title, "bottom_dock", content, head);
}

void Panes::arrange(Arrangement which) {
  const bool isPlanLarge = which == Arrangement::PlanLarge;
  QDockWidget* first = isPlanLarge ? m_site : m_plan;
  QDockWidget* large = isPlanLarge ? m_plan : m_site;
  for (QDockWidget* dock : {m_plan, m_site, m_bench}) m_window->removeDockWidget(dock);
  m_window->addDockWidget(Qt::LeftDockWidgetArea, first, Qt::Horizontal);
  m_window->splitDockWidget(first, large, Qt::Horizontal);
  m_window->splitDockWidget(large, m_bench, which == Arrangement::SideBySide ? Qt::Horizontal : Qt::Vertical);
  for (QDockWidget* dock : {m_plan, m_site, m_bench}) {
    dock->setFloating(false);
    dock->show();
  }
  share(which);
  // What a pane needs at least may hang on its shape, which it has only now.
  QTimer::singleShot(0, m_window, [this, which] { share(which); });
}

void Panes::share(Arrangement which) {
  const bool isPlanLarge = which == Arrangement::PlanLarge;
  QDockWidget* first = isPlanLarge ? m_site : m_plan;
  QDockWidget* large = isPlanLarge ? m_plan : m_site;
  const int width = m_window->width();
  if (which == Arrangement::SideBySide) {
    const int side = partOf(width, 0.3, 330, 640);
    m_window->resizeDocks({m_plan, m_site, m_bench}, {side, width - 2 * side, side}, Qt::Horizontal);
    return;
  }
  const int side = isPlanLarge ? partOf(width, 0.4, 380, 1200) : partOf(width, 0.353, 380, 640);
  m_window->resizeDocks({first, large}, {side, width - side}, Qt::Horizontal);
  // Below the menus and above the status line.
  const int height = large->height() + m_bench->height();
  const int low = partOf(height, 0.34, 230, 560);
  m_window->resizeDocks({large, m_bench}, {height - low, low}, Qt::Vertical);
}

Arrangement Panes::now() const {
  if (m_site->x() < m_plan->x()) return Arrangement::PlanLarge;
  return m_bench->x() > m_site->x() + m_site->width() / 2 ? Arrangement::SideBySide : Arrangement::SiteLarge;
}

bool Panes::restore(const QByteArray& state) { return m_window->restoreState(state, kStateVersion); }
QByteArray Panes::state() const { return m_window->saveState(kStateVersion); }

void Panes::remove() {
  delete m_bench;
  delete m_plan;
  delete m_site;
}

}  // namespace arvesk
