// What the mouse does on the Plan: choosing, moving and joining cards, ribbons, paper.
#include "app/kit/prop_mime.h"
#include "app/model/words.h"
#include "app/plan/plan_view.h"
#include "app/window/theme.h"

#include <QApplication>
#include <QDropEvent>
#include <QMouseEvent>
#include <QScrollBar>

#include <algorithm>

namespace arvesk {
void PlanView::mousePressEvent(QMouseEvent* event) {
  setFocus();
  m_find->hide();
  m_pressedAt = m_now = event->pos();
  m_pressedPlan = toPlan(event->pos());
  m_hasMoved = false;
  m_isGoingIn = false;
  m_pressedTag.clear();
  if (event->button() == Qt::MiddleButton) {
    m_drag = Drag::Pan;
    viewport()->setCursor(Qt::ClosedHandCursor);
    return;
  }
  if (event->button() != Qt::LeftButton) return;
  if (m_map.isShown() && m_map.rect().contains(event->pos())) {
    m_drag = Drag::Map;
    centerOn(m_map.toPlan(event->pos()));
    return;
  }
  if (const PlanSlot* out = slotAt(m_pressedPlan, true)) {
    startLink(text(out->uid), out->id, out->type);
    return;
  }
  if (const PlanStub* stub = stubAt(m_pressedPlan)) {  // what nothing takes is drawn on from its end
    startLink(text(stub->uid), stub->output, ValueType::Points);
    return;
  }
  if (const PlanSlot* in = slotAt(m_pressedPlan, false);
      in && in->isFree && m_selection == QStringList{text(in->uid)}) {
    openInto(*in, event->pos());
    return;
  }
  const bool adds = event->modifiers() & Qt::ShiftModifier;
  const auto pick = [&](const QString& uid) {
    QStringList next = m_selection;
    if (adds) {
      if (next.contains(uid))
        next.removeAll(uid);
      else
        next.push_back(uid);
    } else if (!next.contains(uid)) {
      next = {uid};
    }
    select(next);
  };
  if (const PlanTag* tag = tagAt(m_pressedPlan)) {
    pick(text(tag->uid));
    m_pressedTag = text(tag->uid);
    return;
  }
  for (const PlanChip& chip : m_layout.chips)
    if (!isOverview() && chip.rect.contains(m_pressedPlan)) {
      select({text(chip.uid)});
      return;
    }
  if (const PlanCard* card = cardAt(m_pressedPlan)) {
    pick(text(card->uid));
    // From far away a chain is taken as a whole.
    if (const PlanBlock* block = isOverview() ? m_overview.at(m_pressedPlan) : nullptr)
      for (const std::string& uid : block->cards)
        if (!m_selection.contains(text(uid))) select(m_selection + QStringList{text(uid)});
    m_drag = Drag::Cards;
    return;
  }
  if (const PlanRibbon* ribbon = ribbonAt(m_pressedPlan)) {
    selectRibbon(*ribbon);
    return;
  }
  if (const PlanPaper* item = paperAt(m_pressedPlan)) {
    dragPaper(*item);
    return;
  }
  if (!adds) select({});
  m_drag = Drag::Band;
}

void PlanView::mouseMoveEvent(QMouseEvent* event) {
  const QPoint before = m_now;
  m_now = event->pos();
  if (!m_hasMoved && (m_now - m_pressedAt).manhattanLength() > 5 &&
      (event->buttons() & (Qt::LeftButton | Qt::MiddleButton)))
    m_hasMoved = true;
  if (m_drag == Drag::Map) return centerOn(m_map.toPlan(m_now));
  if (m_drag == Drag::Pan) {
    horizontalScrollBar()->setValue(horizontalScrollBar()->value() - (m_now - before).x());
    verticalScrollBar()->setValue(verticalScrollBar()->value() - (m_now - before).y());
    return;
  }
  if (m_hasMoved && m_drag == Drag::None && !m_pressedTag.isEmpty()) {
    // A tag that is dragged gives its mask or kit to another card.
    const Node* node = m_model->plan().find(m_pressedTag.toStdString());
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (kind) startLink(m_pressedTag, kind->outputs.front().id, kind->outputs.front().type);
    m_hasMoved = true;
  }
  if (m_drag == Drag::PaperSize && m_hasMoved) {
    m_sizeDx = toPlan(m_now).x() - m_pressedPlan.x();
    m_sizeDy = toPlan(m_now).y() - m_pressedPlan.y();
    for (PlanPaper& item : m_layout.paper)
      if (text(item.uid) == m_paperItem)
        if (const PaperItem* saved = m_model->plan().findPaper(item.uid))
          item.rect.setSize({std::max(60.0, saved->width + m_sizeDx), std::max(34.0, saved->height + m_sizeDy)});
  }
  if (m_drag == Drag::Cards && m_hasMoved) {
    const QPointF by = toPlan(m_now) - m_pressedPlan;
    QStringList moving = m_selection;
    if (const PaperItem* item = m_model->plan().findPaper(m_paperItem.toStdString())) {
      m_moved[item->uid] = QPointF(item->x, item->y) + by;
      const QRectF area(item->x, item->y, item->width, item->height);
      if (item->sort == PaperItem::Sort::Bed) {  // a bed takes along what lies on it
        for (const Node& n : m_model->plan().nodes)
          if (area.contains(QPointF(n.x + kCardWidth / 2, n.y + 20))) moving.push_back(text(n.uid));
        for (const PaperItem& other : m_model->plan().paper)
          if (other.sort == PaperItem::Sort::Note && area.contains(QPointF(other.x + 10, other.y + 10)))
            m_moved[other.uid] = QPointF(other.x, other.y) + by;
      }
    }
    for (const QString& uid : moving)
      if (const Node* n = m_model->plan().find(uid.toStdString()); n && m_layout.card(n->uid)) {
        m_moved[n->uid] = QPointF(n->x, n->y) + by;
        for (const std::string& inside : m_layout.card(n->uid)->folded)  // a folded chain moves as a whole
          if (const Node* hidden = m_model->plan().find(inside)) m_moved[inside] = QPointF(hidden->x, hidden->y) + by;
      }
    layOut();
  }
  QString lit;
  for (const PlanChip& chip : m_layout.chips)
    if (!isOverview() && chip.rect.contains(toPlan(m_now))) lit = text(chip.uid);
  if (lit != m_lit || m_drag != Drag::None) viewport()->update();
  m_lit = lit;
}

void PlanView::mouseReleaseEvent(QMouseEvent* event) {
  const Drag drag = m_drag;
  m_drag = Drag::None;
  m_pressedTag.clear();
  viewport()->unsetCursor();
  if (drag == Drag::Link) finishLink(event->pos());
  if (drag == Drag::PaperSize && m_hasMoved) {
    const double dx = m_sizeDx;
    const double dy = m_sizeDy;
    m_model->edit(tr("Size"), [&](Plan& plan) {
      if (PaperItem* item = plan.findPaper(m_paperItem.toStdString())) {
        item->width = std::round(std::max(60.0, item->width + dx));
        item->height = std::round(std::max(34.0, item->height + dy));
      }
    });
  }
  if (drag == Drag::Cards && m_hasMoved) finishCards(toPlan(event->pos()));
  if (drag == Drag::Cards && !m_hasMoved && isOverview()) {  // a click goes in
    if (const PlanBlock* block = m_overview.at(m_pressedPlan); block && !(event->modifiers() & Qt::ShiftModifier)) {
      if (!block->isBed) select({text(block->uid)});
      goInto(block->rect);
      m_isGoingIn = true;
    }
    return;
  }
  if (drag == Drag::Cards && !m_hasMoved && m_paperItem.isEmpty() && !(event->modifiers() & Qt::ShiftModifier))
    if (const PlanCard* card = cardAt(toPlan(event->pos()))) select({text(card->uid)});
  if (drag == Drag::Band && m_hasMoved) {
    const QRectF band = QRectF(m_pressedPlan, toPlan(event->pos())).normalized();
    QStringList found = event->modifiers() & Qt::ShiftModifier ? m_selection : QStringList();
    for (const PlanCard& c : m_layout.cards)
      if (band.intersects(c.rect) && !found.contains(text(c.uid))) found.push_back(text(c.uid));
    select(found);
  }
  viewport()->update();
}

void PlanView::startLink(const QString& uid, const std::string& output, ValueType type) {
  m_drag = Drag::Link;
  m_linkFrom = uid;
  m_linkOutput = output;
  m_linkType = type;
}

void PlanView::finishLink(const QPoint& at) {
  if (!m_hasMoved) return;
  const QPointF p = toPlan(at);
  if (const PlanSlot* target = targetAt(p)) {
    const QString why = m_model->whyNot(m_linkFrom, m_linkOutput, text(target->uid), target->id);
    if (!why.isEmpty()) Q_EMIT refused(tr("not connected: %1").arg(why));
    m_model->connectNodes(m_linkFrom, m_linkOutput, text(target->uid), target->id);
    return;
  }
  if (const PlanCard* card = cardAt(p)) {
    if (text(card->uid) != m_linkFrom)
      Q_EMIT refused(tr("not connected: %1 has no slot that takes this").arg(card->title));
    return;
  }
  if (tagAt(p)) return;
  const ValueType type = m_linkType;
  const QString from = m_linkFrom;
  const std::string output = m_linkOutput;
  m_find->open(
      at,
      [type](const NodeKind& kind) {
        return takesMain(kind, type) || std::any_of(kind.inputs.begin(), kind.inputs.end(), [&](const InputSpec& i) {
                 return i.takes(type) || bridgeTo(i, type);
               });
      },
      [this, from, output, p, type](const NodeKind& kind) {
        m_model->undoStack().beginMacro(tr("Add %1").arg(said(kind.label)));
        const QString uid = m_model->addNode(kind, p.x() - kCardWidth / 2, p.y());
        for (const InputSpec& input : kind.inputs)
          if (input.takes(type) || bridgeTo(input, type)) {
            m_model->connectNodes(from, output, uid, input.id);
            break;
          }
        m_model->undoStack().endMacro();
        select({uid});
      });
}

void PlanView::finishCards(const QPointF&) {
  std::map<std::string, std::pair<double, double>> places;
  for (const auto& [uid, at] : m_moved) places[uid] = {std::round(at.x()), std::round(at.y())};
  const std::string only = m_moved.size() == 1 && m_paperItem.isEmpty() ? m_moved.begin()->first : std::string();
  m_moved.clear();
  // A lone card let go on a ribbon goes into it.
  const Node* node = only.empty() ? nullptr : m_model->plan().find(only);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const PlanCard* card = node ? m_layout.card(only) : nullptr;
  std::optional<PlanRibbon> onto;
  if (card && kind && !kind->inputs.empty() && !kind->outputs.empty() &&
      (node->inputs.find(kind->inputs.front().id) == node->inputs.end() ||
       node->inputs.at(kind->inputs.front().id).empty()))
    for (const PlanRibbon& r : m_layout.ribbons) {
      const auto type = outputType(m_model->plan(), r.link);
      if (r.to != only && r.link.node != only && type && takesMain(*kind, *type) && gives(*kind, *type) &&
          !wouldLoop(m_model->plan(), r.link.node, only) && !wouldLoop(m_model->plan(), only, r.to) &&
          hitArea(r).intersects(card->rect))
        onto = r;
    }
  if (!onto) {
    m_model->movePlaces(places);
    return;
  }
  m_model->edit(tr("Insert %1").arg(text(node->title)), [&](Plan& plan) {
    Node* self = plan.find(only);
    self->x = places[only].first;
    self->y = places[only].second;
    self->inputs[kind->inputs.front().id] = {{onto->link.node, onto->link.output, newUid()}};
    for (Link& link : plan.find(onto->to)->inputs[onto->input])
      if (link == onto->link) {
        link.node = only;
        link.output = kind->outputs.front().id;
      }
  });
}

void PlanView::openInto(const PlanSlot& slot, const QPoint& at) {
  const ValueType type = slot.type;
  const QString uid = text(slot.uid);
  const std::string id = slot.id;
  m_find->open(
      at, [type](const NodeKind& kind) { return gives(kind, type); },
      [this, uid, id](const NodeKind& kind) {
        const QString added = m_model->addInto(kind, uid, id);
        select({added});
      });
}

void PlanView::openOnRibbon(const PlanRibbon& ribbon, const QPoint& at) {
  const auto type = outputType(m_model->plan(), ribbon.link);
  if (!type) return;
  const PlanRibbon r = ribbon;
  m_find->open(
      at, [t = *type](const NodeKind& kind) { return takesMain(kind, t) && gives(kind, t) && !kind.isLayer; },
      [this, r](const NodeKind& kind) { select({m_model->insertNode(kind, r.link, text(r.to), r.input)}); });
}

void PlanView::mouseDoubleClickEvent(QMouseEvent* event) {
  // The second click of two on a block would land on what the first one brought there.
  if (event->button() != Qt::LeftButton || m_isGoingIn || m_map.rect().contains(event->pos())) return;
  const QPointF p = toPlan(event->pos());
  if (const PlanTag* tag = tagAt(p)) {
    const std::string key = tag->owner + "/" + tag->uid;
    if (!m_folded.erase(key)) m_folded.insert(key);
    rebuild();
    return;
  }
  if (const PlanCard* card = cardAt(p)) {
    if (const Node* node = m_model->plan().find(card->uid); card->folded.empty() && node && node->isInstance())
      goInside();
    else if (card->folded.empty())
      renameSelected();
    else
      foldSelected();
    return;
  }
  if (const PlanRibbon* ribbon = ribbonAt(p)) {
    openOnRibbon(*ribbon, event->pos());
    return;
  }
  if (const PlanPaper* item = paperAt(p)) {
    m_drag = Drag::None;
    editPaper(text(item->uid));
    return;
  }
  m_drag = Drag::None;
  m_find->open(event->pos(), nullptr, [this, p](const NodeKind& kind) { addAt(kind, p); });
}

void PlanView::dragEnterEvent(QDragEnterEvent* event) {
  if (!propsIn(event->mimeData()).isEmpty()) event->acceptProposedAction();
}

void PlanView::dragMoveEvent(QDragMoveEvent* event) {
  const QPointF p = toPlan(event->position().toPoint());
  const PlanTag* tag = tagAt(p);
  const PlanCard* card = tag ? nullptr : cardAt(p);
  const QString over = tag ? text(tag->uid) : card ? text(card->uid) : QString();
  if (over != m_lit) {
    m_lit = over;
    viewport()->update();
  }
  event->acceptProposedAction();
}

/// Props that are let go: on a list of props, or on what takes its props from one, they are added to it; where there is
/// room they make a list of their own.
void PlanView::dropEvent(QDropEvent* event) {
  const QStringList props = propsIn(event->mimeData());
  if (props.isEmpty()) return;
  event->acceptProposedAction();
  m_lit.clear();
  const NodeKind& chooserKind = *findNodeKind("choose-props");
  const QPointF p = toPlan(event->position().toPoint());
  const PlanTag* tag = tagAt(p);
  const PlanCard* card = tag ? nullptr : cardAt(p);
  const QString target = tag ? text(tag->uid) : card ? text(card->uid) : QString();
  const QStringList choosers = target.isEmpty() ? QStringList() : m_model->choosersFor(target);
  if (choosers.size() > 1)
    return Q_EMIT refused(tr("“%1” has its props from several lists; let them go on one of these")
                              .arg(text(m_model->plan().find(target.toStdString())->title)));
  QString chooser = choosers.value(0);
  if (!target.isEmpty() && chooser.isEmpty()) {
    const Node* node = m_model->plan().find(target.toStdString());
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    const InputSpec* free = nullptr;
    if (kind)
      for (const InputSpec& input : kind->inputs)
        if (input.type == ValueType::Kit && !free) free = &input;
    if (!free)
      return Q_EMIT refused(tr("“%1” places no props; let them go on a Dress or where there is room")
                                .arg(node ? text(node->title) : QString()));
    m_model->undoStack().beginMacro(tr("Choose props"));
    chooser = m_model->addInto(chooserKind, target, free->id);
    m_model->choose(chooser, props);
    m_model->undoStack().endMacro();
  } else if (chooser.isEmpty()) {
    m_model->undoStack().beginMacro(tr("Choose props"));
    chooser = addAt(chooserKind, p);
    m_model->choose(chooser, props);
    m_model->undoStack().endMacro();
  } else {
    m_model->choose(chooser, props);
  }
  reveal(chooser);
}

}  // namespace arvesk
