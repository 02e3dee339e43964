// What a right click on the Plan offers: for a card or tag, a bed or note, a ribbon, or bare paper.
#include "app/plan/plan_view.h"

#include <QContextMenuEvent>
#include <QMenu>

namespace arvesk {
namespace {

QString text(const std::string& s) { return QString::fromStdString(s); }

}  // namespace

void PlanView::contextMenuEvent(QContextMenuEvent* event) {
  const QPointF p = toPlan(event->pos());
  QMenu menu(this);
  const PlanTag* tag = tagAt(p);
  const PlanCard* card = tag ? nullptr : cardAt(p);
  if (tag || card) {
    const QString uid = text(tag ? tag->uid : card->uid);
    if (!m_selection.contains(uid)) select({uid});
    if (card) {
      menu.addAction(m_inSite == uid ? tr("Show all in Site\tI") : tr("Show in Site\tI"), this, [this, uid] { Q_EMIT inSiteWanted(m_inSite == uid ? QString() : uid); });
      menu.addAction(tr("Add after…\tEnter"), this, &PlanView::openFindField);
    }
    if (tag && !tag->owner.empty()) {
      const PlanTag t = *tag;
      menu.addAction(tr("Take off this card"), this, [this, t] {
        const Node* owner = m_model->plan().find(t.owner);
        if (!owner) return;
        for (const Link& l : owner->inputs.at(t.input))
          if (l.node == t.uid) {
            m_model->disconnectInput(text(t.owner), t.input, l);
            return;
          }
      });
      if (t.hasParts) menu.addAction(t.isUnfolded ? tr("Fold") : tr("Unfold"), this, [this, t] {
        const std::string key = t.owner + "/" + t.uid;
        if (!m_folded.erase(key)) m_folded.insert(key);
        rebuild();
      });
    }
    menu.addAction(tr("Skip\tK"), this, &PlanView::skipSelected);
    menu.addAction(tr("Rename\tF2"), this, &PlanView::renameSelected);
    menu.addAction(tr("Duplicate\tCtrl+D"), this, &PlanView::duplicateSelected);
    if (card) menu.addAction(tr("Lift out\tL"), this, &PlanView::liftSelected);
    if (card) menu.addAction(card->folded.empty() ? tr("Fold its chain\tU") : tr("Unfold its chain\tU"), this, &PlanView::foldSelected);
    if (card) menu.addAction(tr("Bed around it\tB"), this, &PlanView::addBed);
    if (card) menu.addAction(tr("Note beside it\tN"), this, &PlanView::addNote);
    menu.addAction(tr("Copy\tCtrl+C"), this, &PlanView::copySelected);
    menu.addSeparator();
    menu.addAction(tr("Delete\tDel"), this, &PlanView::removeSelected);
  } else if (const PlanPaper* item = paperAt(p)) {
    const QString uid = text(item->uid);
    select({});
    m_paperItem = uid;
    menu.addAction(tr("Write…"), this, [this, uid] { editPaper(uid); });
    menu.addAction(tr("Delete\tDel"), this, &PlanView::removeSelected);
  } else if (const PlanRibbon* ribbon = ribbonAt(p)) {
    m_ribbon = *ribbon;
    const QPoint at = event->pos();
    menu.addAction(tr("Insert here…"), this, [this, at] { if (m_ribbon) openOnRibbon(*m_ribbon, at); });
    menu.addAction(tr("Disconnect\tDel"), this, &PlanView::removeSelected);
  } else {
    menu.addAction(tr("Add a node…\tEnter"), this, &PlanView::openFindField);
    menu.addAction(tr("Paste\tCtrl+V"), this, &PlanView::pasteClipboard);
    menu.addAction(tr("Bed\tB"), this, &PlanView::addBed);
    menu.addAction(tr("Note\tN"), this, &PlanView::addNote);
    menu.addAction(tr("Tidy\tT"), this, &PlanView::tidy);
    menu.addAction(tr("Show whole plan\tHome"), this, &PlanView::fitAll);
  }
  menu.exec(event->globalPos());
}

}  // namespace arvesk
