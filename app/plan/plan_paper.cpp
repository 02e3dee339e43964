// Beds and notes of the Plan: made, written on, taken up.
#include "app/plan/plan_view.h"

#include <QPlainTextEdit>
#include "app/model/words.h"

#include <algorithm>

namespace arvesk {
void PlanView::dragPaper(const PlanPaper& item) {
  const QString uid = text(item.uid);
  m_drag = item.grip().contains(m_pressedPlan) ? Drag::PaperSize : Drag::Cards;
  select({});
  m_paperItem = uid;
  viewport()->update();
}

void PlanView::editPaper(const QString& uid) {
  const PlanPaper* item = m_layout.paperItem(uid.toStdString());
  if (!item) return;
  m_paperItem = uid;
  const bool isBed = item->sort == PaperItem::Sort::Bed;
  const QPoint at = toView(item->rect.topLeft()).toPoint();
  m_paperEdit->setMaximumHeight(isBed ? 30 : 16777215);
  m_paperEdit->setPlainText(item->text);
  m_paperEdit->setGeometry(at.x(), at.y(), std::max(140, static_cast<int>(item->rect.width() * m_zoom)),
                           isBed ? 30 : std::max(60, static_cast<int>(item->rect.height() * m_zoom)));
  m_paperEdit->setVerticalScrollBarPolicy(isBed ? Qt::ScrollBarAlwaysOff : Qt::ScrollBarAsNeeded);
  m_paperEdit->show();
  m_paperEdit->raise();
  m_paperEdit->setFocus();
  m_paperEdit->selectAll();
}

void PlanView::commitPaper() {
  if (!m_paperEdit->isVisible()) return;
  m_paperEdit->hide();
  const std::string words = m_paperEdit->toPlainText().trimmed().toStdString();
  const PaperItem* item = m_model->plan().findPaper(m_paperItem.toStdString());
  if (!item || item->text == words) return;
  m_model->edit(tr("Write on paper"), [&](Plan& plan) { plan.findPaper(m_paperItem.toStdString())->text = words; });
}

void PlanView::addBed() {
  QRectF around;
  for (const QString& uid : m_selection) {
    if (const PlanCard* c = m_layout.card(uid.toStdString())) around |= c->rect;
    for (const PlanTag& t : m_layout.tags)
      if (text(t.owner) == uid) around |= t.rect;
    for (const PlanChip& c : m_layout.chips)
      if (text(c.owner) == uid) around |= c.rect;
  }
  if (around.isNull()) around = QRectF(toPlan(viewport()->rect().center()), QSizeF(260, 160));
  around.adjust(-14, -34, 14, 22);
  PaperItem bed{newUid(),
                PaperItem::Sort::Bed,
                tr("Bed").toStdString(),
                std::round(around.x()),
                std::round(around.y()),
                std::round(around.width()),
                std::round(around.height()),
                {}};
  m_model->edit(tr("Add a bed"), [&](Plan& plan) { plan.paper.push_back(bed); });
  editPaper(text(bed.uid));
}

void PlanView::addNote() {
  const PlanCard* card = m_selection.size() == 1 ? m_layout.card(m_selection.first().toStdString()) : nullptr;
  const QPointF at = card ? card->rect.topRight() + QPointF(24, 0)
                          : toPlan(viewport()->rect().center() - QPoint(100, 40));
  QRectF place(at, QSizeF(200, 76));
  // Cards lie over notes: it is stuck where it can be read.
  const auto isCovered = [&] {
    return std::any_of(m_layout.cards.begin(), m_layout.cards.end(),
                       [&](const PlanCard& c) { return c.rect.adjusted(-8, -8, 8, 8).intersects(place); });
  };
  for (int tries = 0; isCovered() && tries < 200; ++tries) place.translate(0, 24);
  PaperItem note{newUid(),      PaperItem::Sort::Note, {}, std::round(place.x()), std::round(place.y()),
                 place.width(), place.height(),        {}};
  m_model->edit(tr("Add a note"), [&](Plan& plan) { plan.paper.push_back(note); });
  editPaper(text(note.uid));
}

}  // namespace arvesk
