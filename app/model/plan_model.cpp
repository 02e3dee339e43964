#include "app/model/plan_model.h"

#include "app/model/presets.h"
#include "app/model/words.h"
#include "app/plan/plan_layout.h"
#include "core/formats/plan_file.h"
#include "core/nodes/adjust/touch_ups.h"
#include "core/plan/making_sub_plan.h"

#include <QUndoCommand>

#include <algorithm>
#include <set>

namespace arvesk {

/// Whole snapshots before and after; they share nothing with widgets and cost what the plan costs, some 100 kB.
class PlanEdit : public QUndoCommand {
 public:
  PlanEdit(PlanModel* model, const QString& text, PlanPtr before, PlanPtr after, QString mergeKey)
      : QUndoCommand(text),
        m_model(model),
        m_before(std::move(before)),
        m_after(std::move(after)),
        m_mergeKey(std::move(mergeKey)),
        m_inside(model->m_inside),
        m_placeBefore(model->m_placeNow()) {
    m_model->m_edits.insert(this);
  }
  ~PlanEdit() override { m_model->m_edits.erase(this); }
  void undo() override {
    m_placeAfter = m_model->m_placeNow();
    m_model->setPlan(m_before, m_inside);
    m_model->m_goTo(m_placeBefore);
  }
  void redo() override {
    m_model->setPlan(m_after, m_inside);
    if (m_placeAfter) m_model->m_goTo(*m_placeAfter);  // none when it is done for the first time
  }
  int id() const override { return m_mergeKey.isEmpty() ? -1 : 1; }
  bool mergeWith(const QUndoCommand* other) override {
    const auto* next = static_cast<const PlanEdit*>(other);
    if (next->m_mergeKey != m_mergeKey) return false;
    m_after = next->m_after;
    return true;
  }
  template <class Change>
  void change(const Change& changed) {
    changed(m_before);
    changed(m_after);
  }

 private:
  PlanModel* m_model;
  PlanPtr m_before;
  PlanPtr m_after;
  QString m_mergeKey;
  InsidePath m_inside;  // where it was done
  WorkPlace m_placeBefore;
  std::optional<WorkPlace> m_placeAfter;
};

namespace {

constexpr double kColumn = 104;  // half a card: cards nearer than this stand in one column
constexpr double kStep = 100;    // from one card to the next

/// What a new node begins with, where its defaults do nothing at all. Plans keep it as anything that was set.
ParamMap startOf(const NodeKind& kind) {
  if (kind.id == "vary") return {{"turn_y", std::vector<double>{0, 360}}, {"size", std::vector<double>{0.8, 1.25}}};
  return {};
}

Node nodeOf(const Plan& plan, const NodeKind& kind, double x, double y) {
  Node node;
  node.uid = newUidIn(plan);
  node.kind = kind.id;
  for (const SubPlan& s : plan.subPlans)
    if (s.made.kind.get() == &kind) {
      node.subPlan = s.uid;
      node.made = s.made;
    }
  node.version = kind.version;
  node.title = freeTitle(plan, said(kind.label).toStdString());
  if (!node.isInstance()) node.params = Presets::values(kind.id, {}).value_or(startOf(kind));
  node.x = x;
  node.y = y;
  return node;
}

/// The node's list of props; null when its kind has none.
const PropChoices* choicesOf(const Node& node) {
  const NodeKind* kind = kindOf(node);
  if (kind)
    for (const ParamSpec& spec : kind->params)
      if (spec.type == ParamType::Props) {
        const auto it = node.params.find(spec.id);
        return it == node.params.end() ? std::get_if<PropChoices>(&spec.defaultValue)
                                       : std::get_if<PropChoices>(&it->second);
      }
  return nullptr;
}

/// Its points are new ones: what comes in says nothing of their props. All such kinds have a share in draft.
bool makesPoints(const NodeKind& kind) { return kind.family == Family::Scatter || kind.findParam("in_draft"); }

Link linkTo(const std::string& from, const std::string& output) { return {from, output, newUid()}; }

const InputSpec* mainInput(const NodeKind& kind) { return kind.inputs.empty() ? nullptr : &kind.inputs.front(); }

/// Replaces or adds, as the input takes one link or many.
void join(Plan& plan, const std::string& to, const std::string& inputId, const Link& link) {
  Node* node = plan.find(to);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const InputSpec* input = kind ? kind->findInput(inputId) : nullptr;
  if (!input) return;
  auto& links = node->inputs[inputId];
  if (!input->isMany) links.clear();
  // A place that lost its link is taken again first, with its name: ids go by it.
  const auto empty = std::find_if(links.begin(), links.end(), [](const Link& l) { return l.isEmpty(); });
  if (empty == links.end()) return links.push_back(link);
  empty->node = link.node;
  empty->output = link.output;
}

/// What was linked there is so no more; its place stays, so that the others keep theirs.
void unlink(Link& link) {
  link.node.clear();
  link.output.clear();
}

void moveDown(Plan& plan, const std::string& except, double x, double fromY, double by) {
  for (Node& n : plan.nodes)
    if (n.uid != except && std::abs(n.x - x) < kColumn && n.y >= fromY) n.y += by;
}

/// Everything that used `uid`'s first output gets what `uid` itself got, if the types agree; else the links go.
void heal(Plan& plan, const std::string& uid) {
  const Node node = *plan.find(uid);
  const NodeKind* kind = kindOf(node);
  const InputSpec* main = kind ? mainInput(*kind) : nullptr;
  const bool passes = main && passesMain(*kind);
  const auto source = passes ? node.inputs.find(main->id) : node.inputs.end();
  const Link* before = nullptr;
  if (source != node.inputs.end())
    for (const Link& link : source->second)
      if (!before && !link.isEmpty()) before = &link;
  for (Node& other : plan.nodes)
    for (auto& [id, links] : other.inputs) {
      for (Link& link : links) {
        if (link.node != uid) continue;
        if (before && link.output == kind->outputs.front().id) {
          link.node = before->node;
          link.output = before->output;
        } else {
          unlink(link);
        }
      }
    }
}

}  // namespace

PlanModel::PlanModel(QObject* parent)
    : QObject(parent), m_document(std::make_shared<const Plan>()), m_plan(m_document) {
  m_undo.setUndoLimit(400);
}

void PlanModel::reset(Plan plan) {
  m_undo.clear();
  m_inside.clear();
  m_frame.reset();
  beginEdition();
  m_document = m_plan = std::make_shared<const Plan>(std::move(plan));
  m_undo.setClean();
  Q_EMIT wasReset();
  Q_EMIT changed();
}

void PlanModel::look() {
  m_plan = m_inside.empty() ? m_document : std::make_shared<const Plan>(planInside(*m_document, m_inside));
}

void PlanModel::beginEdition() {
  m_frames.clear();
  ++m_edition;
}

void PlanModel::setPlan(PlanPtr document) { setPlan(std::move(document), m_inside); }

void PlanModel::setPlan(PlanPtr document, InsidePath inside) {
  if (document != m_document) beginEdition();
  m_document = std::move(document);
  if (m_document->frame != m_frame) {
    Plan then = *m_document;
    then.frame = m_frame;
    m_document = std::make_shared<const Plan>(std::move(then));
  }
  inside = existingPath(*m_document, inside);
  const bool isElsewhere = inside != m_inside;
  m_inside = std::move(inside);
  look();
  if (isElsewhere) Q_EMIT moved();
  Q_EMIT changed();
}

void PlanModel::edit(const QString& text, const std::function<void(Plan&)>& change, const QString& mergeKey) {
  Plan next = *m_plan;
  change(next);
  tidyPlaces(next);
  if (next == *m_plan) return;
  Plan document = *m_document;
  putBack(document, m_inside, std::move(next));
  push(text, std::move(document), mergeKey);
}

void PlanModel::push(const QString& text, Plan document, const QString& mergeKey) {
  fitSubPlans(document);
  m_undo.push(new PlanEdit(this, text, m_document, std::make_shared<const Plan>(std::move(document)), mergeKey));
}

void PlanModel::changeAll(const std::function<void(Plan&)>& change) {
  std::map<PlanPtr, PlanPtr> known;  // one step's after is the next one's before
  const auto changed = [&](PlanPtr& plan) {
    const auto [it, isNew] = known.try_emplace(plan, plan);
    if (isNew) {
      Plan next = *plan;
      change(next);
      if (next != *plan) it->second = std::make_shared<const Plan>(std::move(next));
    }
    plan = it->second;
  };
  for (PlanEdit* edit : m_edits) edit->change(changed);
  PlanPtr now = m_document;
  changed(now);
  setPlan(std::move(now));
}

void PlanModel::undo() {
  if (!m_undo.canUndo()) return;
  const QString words = m_undo.undoText();
  m_undo.undo();
  Q_EMIT told(tr("undone: %1").arg(words));
}

void PlanModel::redo() {
  if (!m_undo.canRedo()) return;
  const QString words = m_undo.redoText();
  m_undo.redo();
  Q_EMIT told(tr("done again: %1").arg(words));
}

void PlanModel::keepPlaces(std::function<WorkPlace()> now, std::function<void(const WorkPlace&)> go) {
  m_placeNow = std::move(now);
  m_goTo = std::move(go);
}

namespace {

/// A kit that the node cannot do without comes with it: of the props that no other has chosen yet.
void bringKits(Plan& plan, const Node& node) {
  const NodeKind* kind = kindOf(node);
  const NodeKind* chooser = findNodeKind("choose-props");
  for (const InputSpec& input : kind->inputs) {
    if (input.type != ValueType::Kit || input.isOptional || node.kind == chooser->id) continue;
    std::set<std::string> chosen;
    for (const Node& other : plan.nodes)
      if (const auto it = other.params.find("props"); it != other.params.end())
        if (const auto* list = std::get_if<PropChoices>(&it->second))
          for (const PropChoice& choice : *list) chosen.insert(choice.prop);
    PropChoices rest;
    for (const PropEntry& prop : plan.props)
      if (!chosen.contains(prop.uid)) rest.push_back({prop.uid, 1, true});
    Node kit = nodeOf(plan, *chooser, node.x + 260, node.y);
    if (!rest.empty()) kit.params["props"] = rest;
    const Link link = linkTo(kit.uid, chooser->outputs.front().id);
    plan.nodes.push_back(std::move(kit));
    join(plan, node.uid, input.id, link);
  }
}

}  // namespace

QString PlanModel::addNode(const NodeKind& kind, double x, double y) {
  const Node node = nodeOf(*m_plan, kind, x, y);
  edit(tr("Add %1").arg(said(kind.label)), [&](Plan& plan) {
    plan.nodes.push_back(node);
    bringKits(plan, node);
  });
  return QString::fromStdString(node.uid);
}

QString PlanModel::insertNode(const NodeKind& kind, const Link& from, const QString& to, const std::string& inputId) {
  const Node* before = m_plan->find(from.node);
  const InputSpec* main = mainInput(kind);
  if (!before || !main || kind.outputs.empty()) return {};
  Node node = nodeOf(*m_plan, kind, before->x, before->y + kStep);
  node.inputs[main->id] = {linkTo(from.node, from.output)};
  edit(tr("Insert %1").arg(said(kind.label)), [&](Plan& plan) {
    for (Link& link : plan.find(to.toStdString())->inputs[inputId])
      if (link == from) {
        link.node = node.uid;
        link.output = kind.outputs.front().id;
      }
    moveDown(plan, node.uid, node.x, before->y + 1, kStep);
    plan.nodes.push_back(node);
    bringKits(plan, node);
  });
  return QString::fromStdString(node.uid);
}

void PlanModel::setDownLast(const QString& to, const std::vector<Link>& links) {
  const NodeKind* kind = findNodeKind("set-down");
  const Node* end = m_plan->find(to.toStdString());
  const NodeKind* endKind = end ? kindOf(*end) : nullptr;
  if (!endKind || !mainInput(*endKind)) return;
  edit(tr("Set down last"), [&](Plan& plan) {
    for (const Link& from : links) {
      const Node* before = plan.find(from.node);
      if (!before) continue;
      Node node = nodeOf(plan, *kind, before->x, before->y + kStep);
      node.inputs[mainInput(*kind)->id] = {linkTo(from.node, from.output)};
      const auto [maker, ground] = groundAbove(plan, from.node);
      if (maker) node.inputs[kind->groundFrom] = {linkTo(ground.node, ground.output)};
      if (maker && maker->kind == kind->id) {
        node.params = maker->params;
        node.follows = maker->follows;
        node.keys = maker->keys;
      }
      for (Link& link : plan.find(end->uid)->inputs[mainInput(*endKind)->id])
        if (link == from) {
          link.node = node.uid;
          link.output = kind->outputs.front().id;
        }
      moveDown(plan, node.uid, node.x, before->y + 1, kStep);
      plan.nodes.push_back(node);
    }
  });
}

void PlanModel::touch(const QString& text, std::vector<TouchGroup>& groups,
                      const std::function<TouchUps(const TouchGroup&, const TouchUps& now)>& made,
                      const QString& mergeKey) {
  if (!m_document->subPlans.empty()) {
    const OpenedPlan opened = openPlan(*m_document, Quality::Final);
    bool isAway = false;
    for (TouchGroup& group : groups) {
      group.from = linkHere(*m_plan, opened, group.from);
      group.ground = linkHere(*m_plan, opened, group.ground);
      isAway = isAway || (group.node.empty() ? group.from.isEmpty() : !m_plan->find(group.node));
    }
    if (isAway) tellElsewhere();
  }
  edit(
      text,
      [&](Plan& plan) {
        makeTouchUps(plan, groups, [](Plan& now, const Node& before) {
          const Node node = nodeOf(now, *findNodeKind("touch-ups"), before.x, before.y + kStep);
          moveDown(now, node.uid, node.x, before.y + 1, kStep);
          return node;
        });
        for (const TouchGroup& group : groups)
          if (Node* node = plan.find(group.node))
            node->params["touches"] = made(group, nodes::touchUpsParams(*node).touches);
      },
      mergeKey);
}

void PlanModel::tellElsewhere() {
  Q_EMIT told(m_inside.empty() ? tr("! some of these are kept inside of a sub-plan: go inside to change them")
                               : tr("! some of these are kept elsewhere in the plan: go back out to change them"));
}

QStringList PlanModel::takeOver(const std::vector<TakenOver>& all) {
  QStringList out;
  std::vector<TakenOver> taken = all;
  if (!m_document->subPlans.empty()) {
    const OpenedPlan opened = openPlan(*m_document, Quality::Final);
    const auto isAway = [&](TakenOver& t) {
      t.from = linkHere(*m_plan, opened, t.from);
      t.ground = linkHere(*m_plan, opened, t.ground);
      return t.hand.empty() ? t.from.isEmpty() : !m_plan->find(t.hand);
    };
    if (std::erase_if(taken, isAway) > 0) tellElsewhere();
  }
  edit(tr("Take over by hand"), [&](Plan& plan) {
    const auto made = keepTaken(plan, taken, [](Plan& now, const Node& before) {
      const Node node = nodeOf(now, *findNodeKind("placed-by-hand"), before.x, before.y + kStep);
      moveDown(now, node.uid, node.x, before.y + 1, kStep);
      return node;
    });
    for (const std::string& uid : made) out << QString::fromStdString(uid);
  });
  return out;
}

QString PlanModel::handNodeFor(const QString& uid) {
  const NodeKind* kind = findNodeKind("placed-by-hand");
  const Node* selected = m_plan->find(uid.toStdString());
  if (selected && selected->kind == kind->id) return uid;
  const auto isGround = [&](const Node& node) {
    const NodeKind* k = kindOf(node);
    return k && !k->outputs.empty() && outputType(*m_plan, {node.uid, k->outputs.front().id, {}}) == ValueType::Surface;
  };
  Link ground;
  if (selected && isGround(*selected))
    ground = linkTo(selected->uid, kindOf(*selected)->outputs.front().id);
  else if (selected)
    ground = groundAbove(*m_plan, selected->uid).second;
  const auto isOn = [&](const Node& node) {
    const auto it = node.inputs.find(kind->groundFrom);
    return ground.isEmpty() ||
           (it != node.inputs.end() && !it->second.empty() && it->second.front().node == ground.node);
  };
  for (auto it = m_plan->nodes.rbegin(); it != m_plan->nodes.rend(); ++it)
    if (it->kind == kind->id && isOn(*it)) return QString::fromStdString(it->uid);
  // The ground that most others stand on.
  std::map<std::string, int> uses;
  for (const Node& node : m_plan->nodes)
    if (const NodeKind* k = kindOf(node); k && ground.isEmpty() && !k->groundFrom.empty())
      if (const auto it = node.inputs.find(k->groundFrom); it != node.inputs.end())
        for (const Link& link : it->second) ++uses[link.node];
  if (ground.isEmpty()) {
    const Node* best = nullptr;
    for (const Node& node : m_plan->nodes)
      if (isGround(node) && (!best || uses[node.uid] > uses[best->uid])) best = &node;
    if (!best) return {};
    ground = linkTo(best->uid, kindOf(*best)->outputs.front().id);
  }
  const Node* beside = m_plan->find(ground.node);
  Node node = nodeOf(*m_plan, *kind, beside->x + 260, beside->y + kStep);
  node.inputs[kind->groundFrom] = {linkTo(ground.node, ground.output)};
  edit(tr("Add %1").arg(said(kind->label)), [&](Plan& plan) {
    moveDown(plan, node.uid, node.x, beside->y + 1, kStep);
    plan.nodes.push_back(node);
  });
  return QString::fromStdString(node.uid);
}

QString PlanModel::addAfter(const NodeKind& kind, const QString& uid) {
  const Node* before = m_plan->find(uid.toStdString());
  const NodeKind* beforeKind = before ? kindOf(*before) : nullptr;
  const InputSpec* main = mainInput(kind);
  if (!beforeKind || beforeKind->outputs.empty() || !main ||
      !main->takes(outputType(*m_plan, {before->uid, beforeKind->outputs.front().id, {}})
                       .value_or(beforeKind->outputs.front().type))) {
    return before ? addNode(kind, before->x, before->y + kStep) : addNode(kind, 140, 20);
  }
  const std::string output = beforeKind->outputs.front().id;
  Node node = nodeOf(*m_plan, kind, before->x, before->y + kStep);
  node.inputs[main->id] = {linkTo(before->uid, output)};
  const bool takesOver = passesMain(kind);
  edit(tr("Add %1").arg(said(kind.label)), [&](Plan& plan) {
    if (takesOver)
      for (Node& other : plan.nodes) {
        const NodeKind* otherKind = kindOf(other);
        const InputSpec* otherMain = otherKind ? mainInput(*otherKind) : nullptr;
        if (!otherMain) continue;
        for (Link& link : other.inputs[otherMain->id])
          if (link.node == node.inputs[main->id].front().node && link.output == output) {
            link.node = node.uid;
            link.output = kind.outputs.front().id;
          }
      }
    moveDown(plan, node.uid, node.x, before->y + 1, kStep);
    plan.nodes.push_back(node);
    bringKits(plan, node);
  });
  return QString::fromStdString(node.uid);
}

QString PlanModel::addInto(const NodeKind& kind, const QString& uid, const std::string& inputId) {
  const Node* target = m_plan->find(uid.toStdString());
  if (!target || kind.outputs.empty()) return {};
  const Node node = nodeOf(*m_plan, kind, target->x + 260, target->y);
  edit(tr("Add %1").arg(said(kind.label)), [&](Plan& plan) {
    plan.nodes.push_back(node);
    join(plan, uid.toStdString(), inputId, linkTo(node.uid, kind.outputs.front().id));
  });
  return QString::fromStdString(node.uid);
}

void PlanModel::connectNodes(const QString& from, const std::string& outputId, const QString& to,
                             const std::string& inputId) {
  if (!whyNot(from, outputId, to, inputId).isEmpty()) return;
  const Node* target = m_plan->find(to.toStdString());
  const NodeKind* bridge = bridgeTo(*kindOf(*target)->findInput(inputId),
                                    *outputType(*m_plan, {from.toStdString(), outputId, {}}));
  edit(tr("Connect"), [&](Plan& plan) {
    Link link = linkTo(from.toStdString(), outputId);
    if (bridge) {
      const Node* before = plan.find(from.toStdString());
      Node node = nodeOf(plan, *bridge, before->x, before->y + kStep);
      node.inputs[bridge->inputs.front().id] = {link};
      link = linkTo(node.uid, bridge->outputs.front().id);
      moveDown(plan, node.uid, node.x, before->y + 1, kStep);
      plan.nodes.push_back(std::move(node));
    }
    join(plan, to.toStdString(), inputId, link);
  });
}

void PlanModel::disconnectInput(const QString& to, const std::string& inputId, const Link& link) {
  edit(tr("Disconnect"), [&](Plan& plan) {
    for (Link& l : plan.find(to.toStdString())->inputs[inputId])
      if (l == link) unlink(l);
  });
}

namespace {

QString listOf(const QStringList& titles) {
  constexpr qsizetype kMost = 4;
  const QString list = titles.mid(0, kMost).join(QStringLiteral(", "));
  return titles.size() <= kMost ? list : PlanModel::tr("%1 and %2 more").arg(list).arg(titles.size() - kMost);
}

}  // namespace

void PlanModel::removeNodes(const QStringList& uids) {
  if (uids.isEmpty()) return;
  const PlanPtr before = m_plan;
  edit(tr("Delete"), [&](Plan& plan) {
    for (const QString& uid : uids) {
      if (!plan.find(uid.toStdString())) continue;
      heal(plan, uid.toStdString());
      std::erase_if(plan.nodes, [&](const Node& n) { return n.uid == uid.toStdString(); });
    }
  });
  // Whose links went with it, and were not healed.
  QStringList poorer;
  for (const Node& node : before->nodes) {
    const Node* now = m_plan->find(node.uid);
    if (!now) continue;
    const auto linked = [](const Node& n) {
      std::size_t count = 0;
      for (const auto& [id, links] : n.inputs)
        count += static_cast<std::size_t>(
            std::count_if(links.begin(), links.end(), [](const Link& l) { return !l.isEmpty(); }));
      return count;
    };
    if (linked(*now) < linked(node)) poorer.push_back(QString::fromStdString(node.title));
  }
  if (!poorer.isEmpty()) Q_EMIT told(tr("deleted; it was used by %1").arg(listOf(poorer)));
}

void PlanModel::removeProps(const std::vector<std::string>& uids, const QStringList& users) {
  if (uids.empty()) return;
  const auto isGone = [&](const std::string& uid) { return std::find(uids.begin(), uids.end(), uid) != uids.end(); };
  edit(tr("Remove props"),
       [&](Plan& plan) { std::erase_if(plan.props, [&](const PropEntry& p) { return isGone(p.uid); }); });
  if (!users.isEmpty()) Q_EMIT told(tr("removed; chosen by %1").arg(listOf(users)));
}

void PlanModel::liftOut(const QString& uid) {
  const Node* node = m_plan->find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind || !mainInput(*kind)) return;
  edit(tr("Lift out"), [&](Plan& plan) {
    heal(plan, uid.toStdString());
    Node* lifted = plan.find(uid.toStdString());
    lifted->inputs.erase(mainInput(*kind)->id);
    lifted->x += 240;
  });
}

QStringList PlanModel::choosersFor(const QString& uid, const std::string& prop) const {
  QStringList out;
  std::set<std::string> seen{uid.toStdString()};
  std::vector<std::string> open{uid.toStdString()};
  while (!open.empty()) {
    const Node* node = m_plan->find(open.back());
    open.pop_back();
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (!kind || (makesPoints(*kind) && node->uid != uid.toStdString())) continue;
    if (const PropChoices* list = choicesOf(*node)) {
      if (prop.empty() || std::any_of(list->begin(), list->end(), [&](const PropChoice& c) { return c.prop == prop; }))
        out << QString::fromStdString(node->uid);
      continue;
    }
    const auto follow = [&](const InputSpec& input) {
      const auto it = node->inputs.find(input.id);
      if (it == node->inputs.end()) return;
      for (const Link& l : it->second)
        if (seen.insert(l.node).second) open.push_back(l.node);
    };
    const auto isKit = [](const InputSpec& input) { return input.type == ValueType::Kit; };
    if (std::any_of(kind->inputs.begin(), kind->inputs.end(), isKit)) {
      for (const InputSpec& input : kind->inputs)
        if (isKit(input)) follow(input);
    } else if (mainInput(*kind) && !makesPoints(*kind)) {
      follow(*mainInput(*kind));
    }
  }
  return out;
}

void PlanModel::choose(const QString& chooser, const QStringList& props) {
  const Node* node = m_plan->find(chooser.toStdString());
  const PropChoices* now = node ? choicesOf(*node) : nullptr;
  if (!now) return;
  PropChoices list = *now;
  for (const QString& prop : props)
    if (std::none_of(list.begin(), list.end(), [&](const PropChoice& c) { return c.prop == prop.toStdString(); }))
      list.push_back({prop.toStdString(), 1, true});
  for (const ParamSpec& spec : kindOf(*node)->params)
    if (spec.type == ParamType::Props) return setParam(chooser, spec.id, list);
}

void PlanModel::moveAfter(const QString& uid, const QString& after) {
  const std::string moved = uid.toStdString();
  const std::string target = after.toStdString();
  const Node* node = m_plan->find(moved);
  const Node* before = m_plan->find(target);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const NodeKind* beforeKind = before ? kindOf(*before) : nullptr;
  if (!kind || !beforeKind || moved == target || !mainInput(*kind) || beforeKind->outputs.empty()) return;
  const std::string output = beforeKind->outputs.front().id;
  edit(tr("Move %1 behind %2").arg(QString::fromStdString(node->title), QString::fromStdString(before->title)),
       [&](Plan& plan) {
         heal(plan, moved);
         for (Node& other : plan.nodes) {
           const NodeKind* otherKind = kindOf(other);
           const InputSpec* main = otherKind && other.uid != moved ? mainInput(*otherKind) : nullptr;
           if (!main) continue;
           if (const auto links = other.inputs.find(main->id); links != other.inputs.end())
             for (Link& link : links->second)
               if (link.node == target && link.output == output) {
                 link.node = moved;
                 link.output = kind->outputs.front().id;
               }
         }
         Node& self = *plan.find(moved);
         const Node& place = *plan.find(target);
         self.inputs[mainInput(*kind)->id] = {linkTo(target, output)};
         self.x = place.x;
         self.y = place.y + kStep;
         moveDown(plan, moved, self.x, place.y + 1, kStep);
       });
}

void PlanModel::closeBody(const QString& uid, double voxelSize) {
  const NodeKind* solid = findNodeKind("solid");
  const NodeKind* skin = findNodeKind("surface-of-volume");
  const Node* node = m_plan->find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind || !mainInput(*kind)) return;
  edit(tr("Close the body of %1").arg(QString::fromStdString(node->title)), [&](Plan& plan) {
    Node filled = nodeOf(plan, *solid, node->x, node->y);
    filled.params["voxel_size"] = voxelSize;
    filled.inputs[mainInput(*solid)->id] = node->inputs.at(mainInput(*kind)->id);
    plan.nodes.push_back(filled);
    Node closed = nodeOf(plan, *skin, node->x, node->y + kStep);
    closed.inputs[mainInput(*skin)->id] = {linkTo(filled.uid, solid->outputs.front().id)};
    plan.nodes.push_back(closed);
    Node& self = *plan.find(uid.toStdString());
    // The link's own uid stays: ids go by it.
    std::vector<Link>& links = self.inputs[mainInput(*kind)->id];
    links.resize(1);
    links.front().node = closed.uid;
    links.front().output = skin->outputs.front().id;
    moveDown(plan, {}, self.x, self.y, 2 * kStep);
    plan.find(filled.uid)->y = filled.y;
    plan.find(closed.uid)->y = closed.y;
  });
}

void PlanModel::movePlaces(const std::map<std::string, std::pair<double, double>>& places) {
  edit(tr("Move"), [&](Plan& plan) {
    for (const auto& [uid, place] : places) {
      if (Node* node = plan.find(uid)) {
        node->x = place.first;
        node->y = place.second;
      }
      if (PaperItem* item = plan.findPaper(uid)) {
        item->x = place.first;
        item->y = place.second;
      }
    }
  });
}

QStringList PlanModel::duplicate(const QStringList& uids, const CardRooms& rooms) {
  std::vector<std::string> list;
  for (const QString& uid : uids) list.push_back(uid.toStdString());
  return paste(QString::fromStdString(formatNodes(*m_plan, list)), rooms);
}

namespace {

/// Takes over the sub-plans that instances of a pasted part are of; says by which uid each is known here.
std::map<std::string, std::string> bringSubPlans(Plan& plan, const Plan& part) {
  std::map<std::string, std::string> known;
  std::vector<SubPlan> fresh;
  for (const SubPlan& s : part.subPlans) {
    const SubPlan* here = plan.findSubPlan(s.uid);
    known[s.uid] = here && !(*here == s) ? newUid() : s.uid;  // one that was edited since is another
    if (here && *here == s) continue;
    fresh.push_back(s);
    fresh.back().uid = known[s.uid];
  }
  for (SubPlan& s : fresh)
    for (Node& node : s.nodes)
      if (const auto it = known.find(node.subPlan); node.isInstance() && it != known.end()) node.subPlan = it->second;
  for (const Node& node : part.nodes)
    if (node.isInstance()) known.try_emplace(node.subPlan, node.subPlan);  // it is missing there too
  plan.subPlans.insert(plan.subPlans.end(), fresh.begin(), fresh.end());
  return known;
}

/// May the nodes inside of a pasted instance be who they were?
bool mayStay(const Node& instance, const Plan& part, const std::set<std::string>& taken) {
  if (!instance.inside) return true;
  Plan alone;
  alone.nodes = {instance};
  alone.nodes.front().inputs.clear();
  alone.subPlans = part.subPlans;
  const std::set<std::string> own = takenUids(alone);
  return std::none_of(own.begin(), own.end(),
                      [&](const std::string& uid) { return uid != instance.uid && taken.contains(uid); });
}

}  // namespace

QStringList PlanModel::paste(const QString& text, const CardRooms& rooms, std::optional<QPointF> middle) {
  auto part = parsePlan(text.toStdString(), "clipboard");
  if (!part || part->nodes.empty()) return {};
  std::map<std::string, std::string> renamed;
  // In another plan they are who they were: they scatter the same, and what hands did to single points goes along.
  const std::set<std::string> taken = takenUids(*m_document);
  for (const Node& node : part->nodes) {
    const bool isFree = !taken.contains(node.uid) && !taken.contains(m_plan->path + node.uid);
    renamed[node.uid] = isFree ? m_plan->path + node.uid : newUidIn(*m_plan);
  }
  // As a whole to where nothing is. Masks and kits stand at their cards, wherever they are.
  std::optional<QRectF> all;
  for (const Node& node : part->nodes) {
    if (isDocked(*part, node)) continue;
    const QRectF room(node.x - 104, node.y, 416, 100);
    all = all ? *all | room : room;
  }
  QPointF by;
  if (all) {
    const QPointF wanted = middle ? *middle - all->center() + all->topLeft() : all->topLeft() + QPointF(24, 24);
    const PlanRect place = freePlace(takenPlaces(*m_plan, rooms, {}),
                                     {wanted.x(), wanted.y(), all->width(), all->height()});
    by = QPointF(std::round(place.x), std::round(place.y)) - all->topLeft();
  }
  QStringList added;
  edit(tr("Paste"), [&](Plan& plan) {
    const auto brought = bringSubPlans(plan, *part);
    for (Node node : part->nodes) {
      const std::string was = node.uid;
      node.uid = renamed[was];
      if (node.isInstance()) {
        node.subPlan = brought.at(node.subPlan);
        if (!m_inside.empty() && wouldLieInItself(plan, subPlanHere(), node.subPlan)) {
          Q_EMIT told(tr("%1 cannot lie inside of itself").arg(QString::fromStdString(node.title)));
          continue;
        }
        // Its nodes are those of another use, unless nobody has been these yet.
        if (!mayStay(node, *part, taken)) node.inside.reset();
        node.made = {};  // fitted anew
      }
      node.title = freeTitle(plan, node.title);
      node.x += by.x();
      node.y += by.y();
      for (auto& [id, links] : node.inputs) {
        for (Link& link : links) {
          if (const auto it = renamed.find(link.node); it != renamed.end()) link.node = it->second;
          if (taken.contains(was)) link.slot = newUid();
        }
        for (Link& l : links)
          if (!plan.find(l.node) &&
              std::none_of(renamed.begin(), renamed.end(), [&](const auto& r) { return r.second == l.node; }))
            unlink(l);
      }
      added.push_back(QString::fromStdString(node.uid));
      plan.nodes.push_back(std::move(node));
    }
    for (const PropEntry& prop : part->props)
      if (!plan.findProp(prop.uid)) plan.props.push_back(prop);
  });
  return added;
}

void PlanModel::tidy(const QStringList& uids, const CardRooms& rooms, const QSizeF& pane) {
  edit(tr("Tidy"), [&](Plan& plan) {
    std::map<std::string, std::pair<double, double>> before;
    for (const Node& n : plan.nodes) before[n.uid] = {n.x, n.y};
    if (uids.isEmpty()) {
      tidyPlan(plan, rooms, pane.width(), pane.height());
    } else {
      std::set<std::string> some;
      for (const QString& uid : uids) some.insert(uid.toStdString());
      tidyCards(plan, some, rooms);
    }
    // What is folded away goes where its head goes.
    for (const Node& head : plan.nodes) {
      if (!head.isFolded || !rooms.contains(head.uid)) continue;
      const auto [x, y] = before[head.uid];
      for (const std::string& inside : chainFrom(plan, head.uid))
        if (Node* n = plan.find(inside); n && !rooms.contains(inside)) {
          n->x += head.x - x;
          n->y += head.y - y;
        }
    }
  });
}

QString PlanModel::whyNot(const QString& from, const std::string& outputId, const QString& to,
                          const std::string& inputId) const {
  const Node* target = m_plan->find(to.toStdString());
  const NodeKind* kind = target ? kindOf(*target) : nullptr;
  const InputSpec* input = kind ? kind->findInput(inputId) : nullptr;
  const auto type = outputType(*m_plan, {from.toStdString(), outputId, {}});
  if (!input || !type) return tr("there is no such slot");
  if (!input->takes(*type) && !bridgeTo(*input, *type)) return tr("%1 takes something else").arg(said(input->label));
  if (wouldLoop(*m_plan, from.toStdString(), to.toStdString())) return tr("this would close a loop");
  // What passes on what it is given would give something else to those after it. Rare, so that whole plans are looked
  // through only then: this is asked for every slot while a link is dragged.
  const bool passesOnAnother = std::any_of(kind->outputs.begin(), kind->outputs.end(), [&](const OutputSpec& o) {
    return o.sameAs == inputId && outputType(*m_plan, {to.toStdString(), o.id, {}}) != type;
  });
  if (passesOnAnother && input->takes(*type)) {
    Plan next = *m_plan;
    join(next, to.toStdString(), inputId, linkTo(from.toStdString(), outputId));
    for (const Node& n : next.nodes)
      for (const auto& [id, links] : n.inputs)
        for (const Link& l : links) {
          const NodeKind* after = kindOf(n);
          const InputSpec* in = after ? after->findInput(id) : nullptr;
          const auto is = outputType(next, l);
          const auto was = outputType(*m_plan, l);
          if (in && is && was && *is != *was && !in->takes(*is)) {
            const QString name = QString::fromStdString(n.title);
            return tr("%1 after it does not take that").arg(name);
          }
        }
  }
  return {};
}

}  // namespace arvesk
