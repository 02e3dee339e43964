// Finding in the Plan: from one match to the next, and bringing a node into sight whatever hides it.
#include "app/plan/plan_view.h"

#include <QLabel>
#include <QLineEdit>
#include <QScrollBar>

#include <algorithm>

namespace arvesk {
namespace {

QString text(const std::string& s) { return QString::fromStdString(s); }

}  // namespace

void PlanView::findInPlan() {
  m_search->setGeometry(8, 8, std::max(160, viewport()->width() - 16), 28);
  m_search->show();
  m_search->raise();
  m_search->setFocus();
  m_search->selectAll();
  searchPlan();
}

void PlanView::searchPlan() {
  m_foundUids.clear();
  m_foundAt = -1;
  const QString words = m_search->text().trimmed();
  if (!words.isEmpty())
    for (const Node& n : m_model->plan().nodes) {
      const NodeKind* kind = kindOf(n);
      if (text(n.title).contains(words, Qt::CaseInsensitive) ||
          (kind && tr(kind->label.c_str()).contains(words, Qt::CaseInsensitive)))
        m_foundUids.push_back(text(n.uid));
    }
  if (m_foundUids.isEmpty())
    m_searchCount->setText(words.isEmpty() ? QString() : tr("none"));
  else
    searchNext(1);
  m_searchCount->adjustSize();
  m_searchCount->move(m_search->width() - m_searchCount->width() - 8,
                      (m_search->height() - m_searchCount->height()) / 2);
  viewport()->update();
}

void PlanView::searchNext(int step) {
  if (m_foundUids.isEmpty()) return;
  const auto count = static_cast<int>(m_foundUids.size());
  m_foundAt = m_foundAt < 0 ? 0 : (m_foundAt + step + count) % count;
  m_searchCount->setText(tr("%1 of %2").arg(m_foundAt + 1).arg(count));
  m_searchCount->adjustSize();
  m_searchCount->move(m_search->width() - m_searchCount->width() - 8,
                      (m_search->height() - m_searchCount->height()) / 2);
  reveal(m_foundUids[m_foundAt]);
}

void PlanView::scrollTo(const QPoint& at) {
  if (viewport()->rect().adjusted(40, 40, -40, -80).contains(at)) return;
  horizontalScrollBar()->setValue(horizontalScrollBar()->value() + at.x() - viewport()->width() / 2);
  verticalScrollBar()->setValue(verticalScrollBar()->value() + at.y() - viewport()->height() / 2);
}

void PlanView::reveal(const QString& uid) {
  const std::string id = uid.toStdString();
  const bool isHidden = centerOf(uid) == QPoint(-1, -1);
  if (isHidden) {
    // In a folded chain its line stands for it; under a folded mask the mask unfolds.
    for (const PlanCard& c : m_layout.cards)
      if (std::find(c.folded.begin(), c.folded.end(), id) != c.folded.end()) scrollTo(centerOf(text(c.uid)));
    if (!m_folded.empty() && isDocked(m_model->plan(), *m_model->plan().find(id))) {
      m_folded.clear();
      rebuild();
    }
  }
  select({uid});
  if (const QPoint at = centerOf(uid); at != QPoint(-1, -1)) scrollTo(at);
}

void PlanView::goTo(const QStringList& uids) {
  QStringList there;
  for (const QString& uid : uids)
    if (m_model->plan().find(uid.toStdString())) there.push_back(uid);
  select(there);
  const bool isInSight = std::any_of(there.begin(), there.end(),
                                     [&](const QString& uid) { return viewport()->rect().contains(centerOf(uid)); });
  if (there.isEmpty() || isInSight) return;
  reveal(there.first());
  select(there);
}

}  // namespace arvesk
