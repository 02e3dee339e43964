#include "app/plan/plan_access.h"

#include "app/model/words.h"
#include "app/plan/plan_view.h"

#include <QAccessible>
#include <QAccessibleWidget>
#include <QPointer>

#include <algorithm>

namespace arvesk {
namespace {

/// What is found on the Plan: kept by name, as layouts are made anew all the time.
struct Item {
  enum class Sort { Card, Paper, Tag, Slot, Ribbon };
  Sort sort;
  std::string uid;     // of the card, paper, tag, the slot's card, or what the ribbon goes to
  std::string card;    // that it is found at; empty for cards and paper
  std::string detail;  // tag: what it is docked to; slot: its id; ribbon: input and slot of the link
  bool isOutput = false;
  auto operator<=>(const Item&) const = default;
};

std::vector<Item> itemsOf(const PlanLayout& layout) {
  std::vector<Item> out;
  for (const PlanCard& c : layout.cards) out.push_back({Item::Sort::Card, c.uid, {}, {}});
  for (const PlanPaper& p : layout.paper) out.push_back({Item::Sort::Paper, p.uid, {}, {}});
  return out;
}

std::string keyOf(const PlanRibbon& r) { return r.input + "/" + r.link.slot + "/" + r.link.node; }

std::vector<Item> partsOf(const PlanLayout& layout, const std::string& card) {
  std::vector<Item> out;
  for (const PlanTag& t : layout.tags)
    if (t.card == card) out.push_back({Item::Sort::Tag, t.uid, card, t.owner + "/" + t.input});
  for (const PlanRibbon& r : layout.ribbons)
    if (r.to == card) out.push_back({Item::Sort::Ribbon, r.to, card, keyOf(r)});
  for (const PlanSlot& s : layout.openings)
    if (s.uid == card) out.push_back({Item::Sort::Slot, s.uid, card, s.id, s.isOutput});
  return out;
}

/// Makes one interface for each item, and takes them along when it goes.
class ViewAccess : public QAccessibleWidget {
 public:
  explicit ViewAccess(PlanView* view) : QAccessibleWidget(view, QAccessible::Tree, view->accessibleName()) {}
  ~ViewAccess() override {
    for (const auto& [item, id] : m_made) QAccessible::deleteAccessibleInterface(id);
  }
  PlanView* view() const { return static_cast<PlanView*>(widget()); }
  QAccessibleInterface* of(const Item& item) const;

  int childCount() const override {
    return QAccessibleWidget::childCount() + static_cast<int>(itemsOf(view()->layoutNow()).size());
  }
  QAccessibleInterface* child(int index) const override {
    const int widgets = QAccessibleWidget::childCount();
    if (index < widgets) return QAccessibleWidget::child(index);
    const std::vector<Item> items = itemsOf(view()->layoutNow());
    const auto i = static_cast<std::size_t>(index - widgets);
    return index >= 0 && i < items.size() ? of(items[i]) : nullptr;
  }
  int indexOfChild(const QAccessibleInterface* child) const override;
  QAccessibleInterface* childAt(int x, int y) const override;
  QAccessibleInterface* focusChild() const override {
    if (!view()->hasFocus()) return QAccessibleWidget::focusChild();
    const PlanTag* tag = view()->selectedTag();
    if (tag) return of({Item::Sort::Tag, tag->uid, tag->card, tag->owner + "/" + tag->input});
    const QStringList selection = view()->selection();
    const PlanCard* card = selection.isEmpty() ? nullptr : view()->layoutNow().card(selection.first().toStdString());
    return card ? of({Item::Sort::Card, card->uid, {}, {}}) : nullptr;
  }

 private:
  mutable std::map<Item, QAccessible::Id> m_made;
};

class ItemAccess : public QAccessibleInterface, public QAccessibleActionInterface {
 public:
  ItemAccess(PlanView* view, Item item) : m_view(view), m_item(std::move(item)) {}
  const Item& item() const { return m_item; }

  bool isValid() const override { return m_view && (card() || paper() || tag() || slot() || ribbon()); }
  QObject* object() const override { return nullptr; }
  QWindow* window() const override { return m_view ? m_view->window()->windowHandle() : nullptr; }
  void* interface_cast(QAccessible::InterfaceType type) override {
    return type == QAccessible::ActionInterface ? static_cast<QAccessibleActionInterface*>(this) : nullptr;
  }
  QAccessibleInterface* parent() const override {
    if (!m_view) return nullptr;
    QAccessibleInterface* of = QAccessible::queryAccessibleInterface(m_view);
    return m_item.card.empty() ? of : static_cast<ViewAccess*>(of)->of({Item::Sort::Card, m_item.card, {}, {}});
  }
  int childCount() const override { return static_cast<int>(parts().size()); }
  QAccessibleInterface* child(int index) const override {
    const std::vector<Item> all = parts();
    return index >= 0 && index < static_cast<int>(all.size()) ? access(all[static_cast<std::size_t>(index)]) : nullptr;
  }
  int indexOfChild(const QAccessibleInterface* child) const override {
    const auto* other = dynamic_cast<const ItemAccess*>(child);
    const std::vector<Item> all = parts();
    const auto it = other ? std::find(all.begin(), all.end(), other->m_item) : all.end();
    return it == all.end() ? -1 : static_cast<int>(it - all.begin());
  }
  QAccessibleInterface* childAt(int x, int y) const override {
    for (const Item& part : parts())
      if (QAccessibleInterface* found = access(part); found && found->rect().contains(x, y)) return found;
    return nullptr;
  }
  QRect rect() const override {
    if (const PlanCard* c = card()) return m_view->onScreen(c->rect);
    if (const PlanPaper* p = paper()) return m_view->onScreen(p->rect);
    if (const PlanTag* t = tag()) return m_view->onScreen(t->rect);
    if (const PlanSlot* s = slot()) return m_view->onScreen(QRectF(s->place - QPointF(6, 6), QSizeF(12, 12)));
    if (const PlanRibbon* r = ribbon()) return m_view->onScreen(hitArea(*r).boundingRect());
    return {};
  }
  QAccessible::Role role() const override {
    switch (m_item.sort) {
      case Item::Sort::Card:
      case Item::Sort::Tag: return QAccessible::TreeItem;
      case Item::Sort::Paper: return QAccessible::Note;
      case Item::Sort::Slot: return QAccessible::Button;
      case Item::Sort::Ribbon: return QAccessible::Link;
    }
    return QAccessible::NoRole;
  }
  QAccessible::State state() const override {
    QAccessible::State out;
    out.invisible = !isValid();
    if (!isValid()) return out;
    const bool canFocus = m_item.sort == Item::Sort::Card || m_item.sort == Item::Sort::Tag;
    out.focusable = out.selectable = canFocus;
    out.multiSelectable = m_item.sort == Item::Sort::Card;
    out.selected = canFocus && m_view->selection().contains(arvesk::text(m_item.uid));
    out.focused = out.selected && m_view->hasFocus() && m_view->selection().first() == arvesk::text(m_item.uid);
    out.offscreen = !m_view->onScreen(m_view->inSight()).intersects(rect());
    if (const PlanCard* c = card()) {
      out.invalid = c->isFailed;
      out.busy = c->isWaiting;
      out.disabled = c->isSkipped;
      out.collapsed = !c->folded.empty();
    }
    if (const PlanTag* t = tag()) {
      out.invalid = t->isFailed;
      out.expandable = t->hasParts;
      out.expanded = t->hasParts && t->isUnfolded;
    }
    return out;
  }
  QString text(QAccessible::Text what) const override {
    if (!isValid()) return {};
    QStringList words;
    const bool isName = what == QAccessible::Name;
    if (what != QAccessible::Name && what != QAccessible::Description && what != QAccessible::Value) return {};
    if (const PlanCard* c = card()) {
      if (isName) return c->title;
      if (what == QAccessible::Value) return c->yieldText + c->countText;
      words << c->sentence << c->yieldText + c->countText;
      if (c->isSkipped) words << PlanView::tr("skipped");
      if (!c->problem.isEmpty()) words << QStringLiteral("! ") + c->problem;
    } else if (const PlanPaper* p = paper()) {
      if (isName) return p->sort == PaperItem::Sort::Bed ? PlanView::tr("Bed %1").arg(p->text) : PlanView::tr("Note");
      words << p->text;
    } else if (const PlanTag* t = tag()) {
      if (isName) return t->isKit ? PlanView::tr("Kit %1").arg(t->title) : PlanView::tr("Mask %1").arg(t->title);
      words << t->sentence;
      if (!t->problem.isEmpty()) words << QStringLiteral("! ") + t->problem;
    } else if (const PlanSlot* s = slot()) {
      if (isName) return s->isOutput ? PlanView::tr("Output %1").arg(s->label) : PlanView::tr("Input %1").arg(s->label);
      if (!s->isOutput) words << (s->isFree ? PlanView::tr("nothing is connected") : PlanView::tr("connected"));
    } else if (const PlanRibbon* r = ribbon()) {
      const auto name = [this](const std::string& uid) {
        const PlanCard* named = m_view->layoutNow().card(uid);
        return named ? named->title : QString();
      };
      if (isName) return PlanView::tr("From %1 to %2").arg(name(r->link.node), name(r->to));
    }
    words.removeAll(QString());
    return what == QAccessible::Value ? QString() : words.join(QStringLiteral(". "));
  }
  void setText(QAccessible::Text, const QString&) override {}

  QStringList actionNames() const override {
    switch (m_item.sort) {
      case Item::Sort::Card:
      case Item::Sort::Tag: return {pressAction(), showMenuAction()};
      case Item::Sort::Paper: return {showMenuAction()};
      case Item::Sort::Slot:
      case Item::Sort::Ribbon: return {pressAction()};
    }
    return {};
  }
  void doAction(const QString& name) override {
    if (!isValid() || !actionNames().contains(name)) return;
    const Item item = m_item;
    PlanView* view = m_view;
    if (name == showMenuAction()) {
      if (item.sort == Item::Sort::Paper)
        view->select({});  // the menu is that of what is selected, else of what lies there
      else
        view->goTo(item.uid, item.card);
      QContextMenuEvent event(QContextMenuEvent::Keyboard, view->viewport()->mapFromGlobal(rect().center()),
                              rect().center());
      QCoreApplication::sendEvent(view->viewport(), &event);
      return;
    }
    view->setFocus();
    switch (item.sort) {
      case Item::Sort::Card:
      case Item::Sort::Tag: view->goTo(item.uid, item.card); break;
      case Item::Sort::Paper: break;
      case Item::Sort::Slot: view->takeSlot(item.uid, item.detail, item.isOutput); break;
      case Item::Sort::Ribbon:
        if (const PlanRibbon* r = ribbon()) view->selectRibbon(*r);
        break;
    }
  }
  QStringList keyBindingsForAction(const QString&) const override { return {}; }

 private:
  QAccessibleInterface* access(const Item& part) const {
    return static_cast<ViewAccess*>(QAccessible::queryAccessibleInterface(m_view))->of(part);
  }
  std::vector<Item> parts() const {
    return isValid() && m_item.sort == Item::Sort::Card ? partsOf(m_view->layoutNow(), m_item.uid)
                                                        : std::vector<Item>();
  }
  const PlanCard* card() const {
    return m_item.sort == Item::Sort::Card ? m_view->layoutNow().card(m_item.uid) : nullptr;
  }
  const PlanPaper* paper() const {
    return m_item.sort == Item::Sort::Paper ? m_view->layoutNow().paperItem(m_item.uid) : nullptr;
  }
  const PlanTag* tag() const {
    if (m_item.sort != Item::Sort::Tag) return nullptr;
    const auto& all = m_view->layoutNow().tags;
    const auto it = std::find_if(all.begin(), all.end(), [&](const PlanTag& t) {
      return t.uid == m_item.uid && t.card == m_item.card && t.owner + "/" + t.input == m_item.detail;
    });
    return it == all.end() ? nullptr : &*it;
  }
  const PlanSlot* slot() const {
    if (m_item.sort != Item::Sort::Slot) return nullptr;
    const auto& all = m_view->layoutNow().openings;
    const auto it = std::find_if(all.begin(), all.end(), [&](const PlanSlot& s) {
      return s.uid == m_item.uid && s.id == m_item.detail && s.isOutput == m_item.isOutput;
    });
    return it == all.end() ? nullptr : &*it;
  }
  const PlanRibbon* ribbon() const {
    if (m_item.sort != Item::Sort::Ribbon) return nullptr;
    const auto& all = m_view->layoutNow().ribbons;
    const auto it = std::find_if(all.begin(), all.end(),
                                 [&](const PlanRibbon& r) { return r.to == m_item.uid && keyOf(r) == m_item.detail; });
    return it == all.end() ? nullptr : &*it;
  }

  QPointer<PlanView> m_view;
  Item m_item;
};

QAccessibleInterface* ViewAccess::of(const Item& item) const {
  if (const auto it = m_made.find(item); it != m_made.end()) return QAccessible::accessibleInterface(it->second);
  // What has gone is forgotten before there is too much of it.
  if (m_made.size() > 20'000) {
    for (const auto& [old, id] : m_made) QAccessible::deleteAccessibleInterface(id);
    m_made.clear();
  }
  auto* made = new ItemAccess(view(), item);
  m_made[item] = QAccessible::registerAccessibleInterface(made);
  return made;
}

int ViewAccess::indexOfChild(const QAccessibleInterface* child) const {
  const auto* other = dynamic_cast<const ItemAccess*>(child);
  if (!other) return QAccessibleWidget::indexOfChild(child);
  const std::vector<Item> items = itemsOf(view()->layoutNow());
  const auto it = std::find(items.begin(), items.end(), other->item());
  return it == items.end() ? -1 : QAccessibleWidget::childCount() + static_cast<int>(it - items.begin());
}

QAccessibleInterface* ViewAccess::childAt(int x, int y) const {
  const PlanLayout& layout = view()->layoutNow();
  for (const PlanCard& c : layout.cards)
    if (view()->onScreen(c.rect).contains(x, y)) return of({Item::Sort::Card, c.uid, {}, {}});
  for (const PlanTag& t : layout.tags)
    if (view()->onScreen(t.rect).contains(x, y)) return of({Item::Sort::Tag, t.uid, t.card, t.owner + "/" + t.input});
  for (auto p = layout.paper.rbegin(); p != layout.paper.rend(); ++p)
    if (view()->onScreen(p->rect).contains(x, y)) return of({Item::Sort::Paper, p->uid, {}, {}});
  return QAccessibleWidget::childAt(x, y);
}

}  // namespace

QWidget* withPlanAccess(QWidget* parent) {
  static const bool isInstalled = [] {
    QAccessible::installFactory([](const QString&, QObject* object) -> QAccessibleInterface* {
      auto* view = qobject_cast<PlanView*>(object);
      return view ? new ViewAccess(view) : nullptr;
    });
    return true;
  }();
  (void)isInstalled;
  return parent;
}

void tellFocus(PlanView& view) {
  if (!QAccessible::isActive() || !view.hasFocus()) return;
  QAccessibleInterface* at = QAccessible::queryAccessibleInterface(&view);
  if (QAccessibleInterface* now = at ? at->focusChild() : nullptr) {
    QAccessibleEvent event(now, QAccessible::Focus);
    QAccessible::updateAccessibility(&event);
  }
}

}  // namespace arvesk
