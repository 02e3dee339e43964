// What a right click on the Plan offers: for a card or tag, a bed or note, a ribbon, or bare paper.
#include "app/model/words.h"
#include "app/plan/plan_view.h"
#include "app/window/commands.h"

#include <QContextMenuEvent>
#include <QMenu>

namespace arvesk {
/// Each link that comes in can be taken away here too: ribbons are hard to meet without a mouse.
void PlanView::addDisconnects(QMenu& menu, const QString& uid) {
  const Node* node = m_model->plan().find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return;
  QMenu* links = nullptr;
  for (const InputSpec& input : kind->inputs) {
    const auto it = node->inputs.find(input.id);
    if (it == node->inputs.end()) continue;
    for (const Link& l : it->second) {
      const Node* from = m_model->plan().find(l.node);
      if (!from) continue;
      if (!links) links = menu.addMenu(tr("Disconnect"));
      links->addAction(QStringLiteral("%1 ← %2").arg(said(input.label), text(from->title)), this,
                       [this, uid, id = input.id, l] { m_model->disconnectInput(uid, id, l); });
    }
  }
}

void PlanView::contextMenuEvent(QContextMenuEvent* event) {
  // The menu key asks for what is selected, wherever the mouse lies.
  const bool isByKey = event->reason() == QContextMenuEvent::Keyboard;
  const QRectF place = isByKey ? selectedPlace() : QRectF();
  const QPointF p = place.isNull() ? toPlan(event->pos()) : place.center();
  const QPoint at = place.isNull() ? event->globalPos() : onScreen(place).center();
  QMenu menu(this);
  const PlanTag* tag = tagAt(p);
  const PlanCard* card = tag ? nullptr : cardAt(p);
  if (tag || card) {
    const QString uid = text(tag ? tag->uid : card->uid);
    if (!m_selection.contains(uid)) select({uid});
    if (card) {
      menu.addAction(m_inSite == uid ? withKeys(tr("Show all in Site"), this, "site_in_site")
                                     : withKeys(tr("Show in Site"), this, "site_in_site"),
                     this, [this, uid] { Q_EMIT inSiteWanted(m_inSite == uid ? QString() : uid); });
      menu.addAction(withKeys(tr("Add after…"), this, "plan_add"), this, &PlanView::openFindField);
    }
    if (card && card->isFailed) menu.addAction(tr("Try again"), this, &PlanView::tryAgainWanted);
    if (tag && !tag->owner.empty()) {
      const PlanTag t = *tag;
      menu.addAction(tag->isKit ? tr("Detach kit") : tr("Detach mask"), this, [this, t] {
        const Node* owner = m_model->plan().find(t.owner);
        const auto links = owner ? owner->inputs.find(t.input)
                                 : std::map<std::string, std::vector<Link>>::const_iterator();
        if (!owner || links == owner->inputs.end()) return;
        for (const Link& l : links->second)
          if (l.node == t.uid) {
            m_model->disconnectInput(text(t.owner), t.input, l);
            return;
          }
      });
      if (t.hasParts)
        menu.addAction(t.isUnfolded ? tr("Fold") : tr("Unfold"), this, [this, t] {
          const std::string key = t.owner + "/" + t.uid;
          if (!m_folded.erase(key)) m_folded.insert(key);
          rebuild();
        });
    }
    menu.addAction(withKeys(tr("Connect…"), this, "plan_connect"), this, &PlanView::connectSelected);
    addDisconnects(menu, uid);
    menu.addAction(withKeys(tr("Skip"), this, "plan_skip"), this, &PlanView::skipSelected);
    menu.addAction(withKeys(tr("Rename"), this, "plan_rename"), this, &PlanView::renameSelected);
    menu.addAction(withKeys(tr("Duplicate"), this, "edit_duplicate"), this, &PlanView::duplicateSelected);
    if (card) menu.addAction(withKeys(tr("Lift out"), this, "plan_lift"), this, &PlanView::liftSelected);
    if (card)
      menu.addAction(card->folded.empty() ? withKeys(tr("Fold chain"), this, "plan_fold")
                                          : withKeys(tr("Unfold chain"), this, "plan_fold"),
                     this, &PlanView::foldSelected);
    if (card) menu.addAction(withKeys(tr("Make sub-plan"), this, "plan_make_sub_plan"), this, &PlanView::makeSubPlan);
    if (const Node* node = m_model->plan().find(uid.toStdString()); card && node && node->isInstance()) {
      menu.addAction(withKeys(tr("Go inside"), this, "plan_go_inside"), this, &PlanView::goInside);
      menu.addAction(withKeys(tr("Take apart"), this, "plan_take_apart"), this, &PlanView::takeApart);
    }
    if (card) menu.addAction(withKeys(tr("Bed around it"), this, "plan_bed"), this, &PlanView::addBed);
    if (card) menu.addAction(withKeys(tr("Note beside it"), this, "plan_note"), this, &PlanView::addNote);
    menu.addAction(withKeys(tr("Copy"), this, "edit_copy"), this, &PlanView::copySelected);
    menu.addSeparator();
    menu.addAction(withKeys(tr("Delete"), this, "plan_delete"), this, &PlanView::removeSelected);
  } else if (const PlanPaper* item = paperAt(p)) {
    const QString uid = text(item->uid);
    select({});
    m_paperItem = uid;
    menu.addAction(tr("Write…"), this, [this, uid] { editPaper(uid); });
    menu.addAction(withKeys(tr("Delete"), this, "plan_delete"), this, &PlanView::removeSelected);
  } else if (const PlanRibbon* ribbon = ribbonAt(p)) {
    m_ribbon = *ribbon;
    menu.addAction(tr("Insert here…"), this, [this, where = event->pos()] {
      if (m_ribbon) openOnRibbon(*m_ribbon, where);
    });
    menu.addAction(withKeys(tr("Disconnect"), this, "plan_delete"), this, &PlanView::removeSelected);
  } else {
    menu.addAction(withKeys(tr("Add a node…"), this, "plan_add"), this, &PlanView::openFindField);
    menu.addAction(withKeys(tr("Paste"), this, "edit_paste"), this, &PlanView::pasteClipboard);
    menu.addAction(withKeys(tr("Bed"), this, "plan_bed"), this, &PlanView::addBed);
    menu.addAction(withKeys(tr("Note"), this, "plan_note"), this, &PlanView::addNote);
    menu.addAction(withKeys(tr("Tidy"), this, "plan_tidy"), this, &PlanView::tidy);
    menu.addAction(withKeys(tr("Show whole plan"), this, "plan_fit"), this, &PlanView::fitAll);
  }
  menu.exec(at);
}

}  // namespace arvesk
