// Finding in the Plan: from one match to the next, and bringing a node into sight whatever hides it.
#include "app/plan/plan_view.h"

#include <QLabel>
#include <QLineEdit>
#include <QScrollBar>
#include "app/model/words.h"

#include <algorithm>

namespace arvesk {
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
          (kind && said(kind->label).contains(words, Qt::CaseInsensitive)))
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

/// Brings the card of a node into sight with all that is docked to it, by as little as that takes.
void PlanView::showWhole(const std::string& uid) {
  QRectF whole;
  for (const PlanCard& c : m_layout.cards)
    if (c.uid == uid || std::find(c.folded.begin(), c.folded.end(), uid) != c.folded.end()) whole = c.rect;
  const PlanTag* tag = nullptr;
  for (const PlanTag& t : m_layout.tags)
    if (t.uid == uid && (!tag || t.card == m_tagCard)) tag = &t;
  const std::string card = tag ? tag->card : uid;
  if (const PlanCard* c = m_layout.card(card)) whole = c->rect;
  if (whole.isNull()) return;
  for (const PlanTag& t : m_layout.tags)
    if (t.card == card) whole |= t.rect;
  for (const PlanChip& c : m_layout.chips)
    if (c.card == card) whole |= c.rect;
  const QRectF at(toView(whole.topLeft()), whole.size() * m_zoom);
  const QRectF pane = viewport()->rect();
  const bool isAway = !pane.intersects(at);
  const auto by = [isAway](double from, double to, double paneSize, double margin) {
    if (isAway) return (from + to - paneSize) / 2;
    if (to - from > paneSize - 2 * margin || from < margin) return from - margin;
    return std::max(0.0, to - paneSize + margin);
  };
  // With the room of tags and chips at both sides, so that the whole column is in sight.
  const double side = std::min(kTagWidth * m_zoom, std::max(0.0, (pane.width() - at.width()) / 2));
  const PlanCard* own = m_layout.card(card);
  const double left = own ? std::min(at.left(), toView(own->rect.topLeft()).x() - side) : at.left();
  const double right = own ? std::max(at.right(), toView(own->rect.topRight()).x() + side) : at.right();
  const double dx = by(left, right, pane.width(), 6);
  const double dy = by(at.top(), at.bottom(), pane.height(), 24);
  horizontalScrollBar()->setValue(horizontalScrollBar()->value() + static_cast<int>(std::round(dx)));
  verticalScrollBar()->setValue(verticalScrollBar()->value() + static_cast<int>(std::round(dy)));
}

void PlanView::reveal(const QString& uid) {
  if (!m_model->reveal(uid)) return;  // inside of a sub-plan too
  const std::string id = uid.toStdString();
  const bool isHidden = centerOf(uid) == QPoint(-1, -1);
  if (isHidden) {
    // In a folded chain its line stands for it; under a folded mask the mask unfolds.
    if (!m_folded.empty() && isDocked(m_model->plan(), *m_model->plan().find(id))) {
      m_folded.clear();
      rebuild();
    }
  }
  select({uid});
  if (isOverview()) {  // where it could not be read
    if (const PlanCard* card = m_layout.card(id)) return goInto(card->rect.adjusted(-104, -60, 104, 60));
    zoomTo(1, inSight().center());
  }
  showWhole(id);
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
