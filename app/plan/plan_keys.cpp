// The Plan by keys: from card to card and tag, along ribbons, and connecting without a mouse.
#include "app/model/words.h"
#include "app/plan/pick_list.h"
#include "app/plan/plan_view.h"

#include <QKeyEvent>

#include <algorithm>

namespace arvesk {
namespace {

/// How far it is to `to` for whoever goes that way; below 0 when it does not lie there.
double wayTo(const QRectF& from, const QRectF& to, int key) {
  const QPointF d = to.center() - from.center();
  const bool isAcross = key == Qt::Key_Left || key == Qt::Key_Right;
  const double along = (key == Qt::Key_Left || key == Qt::Key_Up ? -1 : 1) * (isAcross ? d.x() : d.y());
  const double aside = std::abs(isAcross ? d.y() : d.x());
  return along <= 4 ? -1 : along + 3 * aside;
}

}  // namespace

/// The tag that is selected: the one at the card that was left for it, where a mask is used at several.
const PlanTag* PlanView::selectedTag() const {
  if (m_selection.size() != 1) return nullptr;
  const PlanTag* found = nullptr;
  for (const PlanTag& t : m_layout.tags)
    if (text(t.uid) == m_selection.first() && (!found || t.card == m_tagCard)) found = &t;
  return found;
}

QRectF PlanView::selectedPlace() const {
  if (const PlanTag* tag = selectedTag()) return tag->rect;
  const PlanCard* card = m_selection.isEmpty() ? nullptr : m_layout.card(m_selection.first().toStdString());
  return card ? card->rect : QRectF();
}

/// Up and down lead from card to card, or along the tags of a card; left and right to its tags, and past them to the
/// cards beside.
void PlanView::goBeside(int key) {
  if (m_layout.cards.empty()) return;
  const PlanTag* tag = selectedTag();
  const PlanCard* card = m_selection.isEmpty() ? nullptr : m_layout.card(m_selection.first().toStdString());
  if (!tag && !card) {
    select({text(m_layout.cards.front().uid)});
    return showWhole(m_layout.cards.front().uid);
  }
  const bool isAcross = key == Qt::Key_Left || key == Qt::Key_Right;
  const std::string home = tag ? tag->card : card->uid;
  const QRectF from = tag ? tag->rect : card->rect;
  const PlanTag* bestTag = nullptr;
  const PlanCard* bestCard = nullptr;
  double least = 1e12;
  // Along its own tags, or from the card to the first of them on that side.
  if (tag || isAcross)
    for (const PlanTag& t : m_layout.tags) {
      if (&t == tag || t.card != home) continue;
      if (isAcross && (tag || (t.rect.center().x() < from.center().x()) != (key == Qt::Key_Left))) continue;
      const double d = isAcross ? t.rect.top() - from.top() + 1e4 : wayTo(from, t.rect, key);
      if (d >= 0 && d < least) least = d, bestTag = &t;
    }
  if (!bestTag && tag && isAcross) {  // back to the card, when that is the way
    const PlanCard* own = m_layout.card(home);
    if (own && wayTo(from, own->rect, key) >= 0) bestCard = own;
  }
  if (!bestTag && !bestCard && !(tag && !isAcross))
    for (const PlanCard& c : m_layout.cards) {
      const double d = c.uid == home
                           ? -1
                           : wayTo(tag && m_layout.card(home) ? m_layout.card(home)->rect : from, c.rect, key);
      if (d >= 0 && d < least) least = d, bestCard = &c;
    }
  const std::string next = bestTag ? bestTag->uid : bestCard ? bestCard->uid : std::string();
  if (next.empty()) return;
  m_tagCard = home;
  select({text(next)});
  showWhole(next);
}

void PlanView::goTo(const std::string& uid, const std::string& card) {
  m_tagCard = card;
  select({text(uid)});
  showWhole(uid);
}

/// Along a ribbon; where several begin or end, a list asks which.
void PlanView::goAlong(bool isDown) {
  if (m_selection.size() != 1) return;
  const std::string from = m_selection.first().toStdString();
  const Node* node = m_model->plan().find(from);
  if (!node) return;
  std::vector<Pick> picks;
  const auto add = [&](const Node& other, const std::string& inputOf, const NodeKind* kind, const std::string& card) {
    QString words;
    if (kind)
      for (const InputSpec& i : kind->inputs)
        if (i.id == inputOf) words = said(i.label);
    picks.push_back({text(other.title), words, [this, uid = other.uid, card] { goTo(uid, card); }});
  };
  if (isDown) {
    for (const Node& n : m_model->plan().nodes)
      for (const auto& [input, links] : n.inputs)
        if (std::any_of(links.begin(), links.end(), [&](const Link& l) { return l.node == from; }))
          add(n, input, kindOf(n), n.uid);
  } else if (const NodeKind* kind = kindOf(*node)) {
    for (const InputSpec& input : kind->inputs)
      if (const auto it = node->inputs.find(input.id); it != node->inputs.end())
        for (const Link& l : it->second)
          if (const Node* n = m_model->plan().find(l.node)) add(*n, input.id, kind, from);
  }
  if (picks.size() == 1) return picks.front().chosen();
  if (picks.empty()) return Q_EMIT refused(isDown ? tr("nothing takes this") : tr("nothing feeds this"));
  m_picks->open(toView(selectedPlace().bottomLeft()).toPoint(),
                isDown ? tr("“%1” goes on to").arg(text(node->title)) : tr("“%1” takes").arg(text(node->title)),
                std::move(picks));
}

/// Every input that takes what the selected node gives, nearest first.
void PlanView::connectSelected() {
  if (m_selection.size() != 1) return Q_EMIT refused(tr("select the node that is to be connected"));
  const std::string from = m_selection.first().toStdString();
  const Node* node = m_model->plan().find(from);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return;
  if (kind->outputs.empty())
    return Q_EMIT refused(tr("“%1” gives nothing that could be connected").arg(text(node->title)));
  const QRectF here = selectedPlace();
  std::vector<std::pair<double, Pick>> found;
  const std::size_t outputs = kind->usedOutputs(node->params);
  for (std::size_t o = 0; o < outputs; ++o) {
    const OutputSpec& output = kind->outputs[o];
    for (const Node& to : m_model->plan().nodes) {
      const NodeKind* toKind = to.uid == from ? nullptr : kindOf(to);
      if (!toKind) continue;
      for (const InputSpec& input : toKind->inputs) {
        if (!input.takes(output.type) || !m_model->whyNot(text(from), output.id, text(to.uid), input.id).isEmpty())
          continue;
        const auto has = to.inputs.find(input.id);
        if (has != to.inputs.end() && std::any_of(has->second.begin(), has->second.end(), [&](const Link& l) {
              return l.node == from && l.output == output.id;
            }))
          continue;
        QString note = said(input.label);
        if (outputs > 1) note = QStringLiteral("%1 → %2").arg(said(output.label), note);
        if (!input.isMany && has != to.inputs.end() && !has->second.empty())
          if (const Node* now = m_model->plan().find(has->second.front().node))
            note += tr(" in place of %1").arg(text(now->title));
        const PlanCard* card = m_layout.card(to.uid);
        const QPointF apart = (card ? card->rect.center() : here.center() + QPointF(0, 5000)) - here.center();
        found.push_back({std::abs(apart.x()) * 2 + std::abs(apart.y()) + (apart.y() < 0 ? 500 : 0),
                         {text(to.title), note, [this, from, id = output.id, uid = to.uid, in = input.id] {
                            m_model->connectNodes(text(from), id, text(uid), in);
                          }}});
      }
    }
  }
  if (found.empty()) return Q_EMIT refused(tr("no other node takes what “%1” gives").arg(text(node->title)));
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<Pick> picks;
  for (auto& [d, pick] : found) picks.push_back(std::move(pick));
  m_picks->open(toView(here.bottomLeft()).toPoint() + QPoint(0, 6), tr("Connect “%1” to").arg(text(node->title)),
                std::move(picks));
}

void PlanView::takeSlot(const std::string& uid, const std::string& slotId, bool isOutput) {
  for (const PlanSlot& slot : m_layout.openings)
    if (slot.uid == uid && slot.id == slotId && slot.isOutput == isOutput) {
      const PlanSlot taken = slot;
      setFocus();
      select({text(uid)});
      if (isOutput) return connectSelected();
      return openInto(taken, toView(taken.place).toPoint());
    }
}

void PlanView::selectRibbon(const PlanRibbon& ribbon) {
  select({});
  m_ribbon = ribbon;
  viewport()->update();
}

QRect PlanView::onScreen(const QRectF& place) const {
  const QRectF at(toView(place.topLeft()), place.size() * m_zoom);
  return at.toAlignedRect().translated(viewport()->mapToGlobal(QPoint(0, 0)));
}

void PlanView::keyPressEvent(QKeyEvent* event) {
  switch (event->key()) {  // all other keys are commands, see MainWindow::buildMenus
    case Qt::Key_Escape: select({}); return;
    case Qt::Key_Up:
    case Qt::Key_Down:
    case Qt::Key_Left:
    case Qt::Key_Right:
      if (event->modifiers() & ~Qt::KeypadModifier) break;
      goBeside(event->key());
      return;
    default: break;
  }
  QAbstractScrollArea::keyPressEvent(event);
}

}  // namespace arvesk
