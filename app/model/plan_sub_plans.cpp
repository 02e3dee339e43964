// Sub-plans: going in and out of their uses, making and taking apart, what they say of themselves, and the library.
#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "core/plan/dials.h"
#include "core/plan/making_sub_plan.h"

#include <algorithm>

namespace arvesk {

namespace {

/// The nodes that a path leads through, each inside of the one before.
std::vector<const Node*> stepsAlong(const Plan& document, const InsidePath& path) {
  std::vector<const Node*> steps;
  const std::vector<Node>* nodes = &document.nodes;
  for (const std::string& uid : path) {
    const auto at = std::find_if(nodes->begin(), nodes->end(), [&](const Node& n) { return n.uid == uid; });
    const SubPlan* next = at == nodes->end() ? nullptr : document.findSubPlan(at->subPlan);
    if (!next) break;
    steps.push_back(&*at);
    nodes = &next->nodes;
  }
  return steps;
}

}  // namespace

std::string PlanModel::subPlanHere() const {
  const std::vector<const Node*> steps = stepsAlong(*m_document, m_inside);
  return steps.empty() ? std::string() : steps.back()->subPlan;
}

QStringList PlanModel::insideTitles() const {
  QStringList out;
  for (const Node* node : stepsAlong(*m_document, m_inside)) out << QString::fromStdString(node->title);
  return out;
}

int PlanModel::usesOf(const std::string& subPlan) const {
  const auto count = [&](const std::vector<Node>& nodes) {
    return std::count_if(nodes.begin(), nodes.end(),
                         [&](const Node& n) { return n.isInstance() && n.subPlan == subPlan; });
  };
  auto uses = count(m_document->nodes);
  for (const SubPlan& s : m_document->subPlans) uses += count(s.nodes);
  return static_cast<int>(uses);
}

std::vector<PlanModel::OfferedSubPlan> PlanModel::offeredSubPlans() const {
  std::vector<OfferedSubPlan> out;
  const std::string here = subPlanHere();
  for (const SubPlan& s : m_document->subPlans)
    if (s.made.kind && (here.empty() || !wouldLieInItself(*m_document, here, s.uid)))
      out.push_back({s.made.kind, s.category, m_library->find(s.uid)});
  for (const LibraryToolPtr& tool : m_library->tools)
    if (!m_document->findSubPlan(tool->plan.tool)) out.push_back({tool->tool().made.kind, tool->tool().category, tool});
  std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.category < b.category; });
  return out;
}

void PlanModel::setLibrary(std::shared_ptr<const Library> library) {
  m_library = std::move(library);
  Q_EMIT libraryChanged();
}

LibraryToolPtr PlanModel::libraryTool(const NodeKind& kind) const {
  for (const LibraryToolPtr& tool : m_library->tools)
    if (tool->tool().made.kind.get() == &kind) return tool;
  return nullptr;
}

std::shared_ptr<const NodeKind> PlanModel::bring(const LibraryTool& tool) {
  editDocument(tr("Add %1").arg(QString::fromStdString(tool.tool().name)),
               [&](Plan& plan) { bringTool(plan, tool, m_folder); });
  const SubPlan* here = m_document->findSubPlan(tool.plan.tool);
  return here ? here->made.kind : nullptr;
}

void PlanModel::takeLater(const std::string& subPlan) {
  const LibraryToolPtr tool = m_library->find(subPlan);
  if (!tool) return;
  QStringList gone;
  for (const LaterVersion& later : laterVersions(*m_document, *m_library))
    if (later.subPlan == subPlan)
      for (const std::string& label : later.gone) gone << QString::fromStdString(label);
  editDocument(tr("Take version %1").arg(tool->tool().version),
               [&](Plan& plan) { takeVersion(plan, *tool, m_folder); });
  Q_EMIT told(gone.isEmpty() ? tr("version %1 taken; everything that was set stays").arg(tool->tool().version)
                             : tr("version %1 taken; these were set and are no more: %2")
                                   .arg(tool->tool().version)
                                   .arg(gone.join(QStringLiteral(", "))));
}

bool PlanModel::enter(const QString& uid) {
  InsidePath next = m_inside;
  next.push_back(uid.toStdString().substr(m_plan->path.size()));
  if (existingPath(*m_document, next) != next) return false;
  setPlan(m_document, next);
  return true;
}

void PlanModel::leave(std::size_t depth) {
  if (depth >= m_inside.size()) return;
  setPlan(m_document, {m_inside.begin(), m_inside.begin() + static_cast<std::ptrdiff_t>(depth)});
}

bool PlanModel::reveal(const QString& uid) {
  if (m_plan->find(uid.toStdString())) return true;
  const auto found = findInside(*m_document, uid.toStdString());
  if (!found) return false;
  setPlan(m_document, found->path);
  return true;
}

void PlanModel::editSubPlan(const QString& text, const std::function<void(SubPlan&)>& change, const QString& mergeKey) {
  editDocument(
      text,
      [&](Plan& document) {
        if (SubPlan* here = document.findSubPlan(subPlanHere())) change(*here);
      },
      mergeKey);
}

void PlanModel::bringToFront(const QString& uid, const std::string& paramId) {
  if (m_inside.empty()) return;
  edit(tr("Bring to the front"), [&](Plan& plan) {
    Node* node = plan.find(uid.toStdString());
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    const ParamSpec* spec = kind ? kind->findParam(paramId) : nullptr;
    if (!spec) return;
    for (const auto& [key, formula] : node->follows)
      if (followedPart(key).param == paramId)
        return Q_EMIT told(tr("%1 follows “%2” already").arg(said(spec->label), QString::fromStdString(formula)));
    for (const auto& [key, keys] : node->keys)
      if (followedPart(key).param == paramId && !keys.isEmpty())
        return Q_EMIT told(tr("%1 has keys: take them out first").arg(said(spec->label)));
    std::vector<FrontControl> fronts;
    for (const FrontValue& front : plan.fronts) fronts.push_back(front.control);
    std::string id = paramId;
    for (int n = 2; !faultOfFrontId(fronts, id).empty() && n < 1000; ++n) id = paramId + std::to_string(n);
    FrontControl control = frontLike(*spec, id, node->value(*spec));
    const auto isTaken = [&](const std::string& label) {
      return std::any_of(fronts.begin(), fronts.end(), [&](const FrontControl& f) { return f.label == label; });
    };
    if (isTaken(control.label)) control.label = node->title + ": " + control.label;
    plan.fronts.push_back({control, control.usual, control.usual});
    node->follows[paramId] = id;
  });
}

QString PlanModel::makeSubPlan(const QStringList& uids) {
  std::vector<std::string> list;
  for (const QString& uid : uids) list.push_back(uid.toStdString());
  std::string instance;
  edit(tr("Make sub-plan"), [&](Plan& plan) {
    const auto made = arvesk::makeSubPlan(plan, list, tr("Sub-plan").toStdString());
    if (made)
      instance = made->instance;
    else
      Q_EMIT told(said(toLine(made.error())));
  });
  return QString::fromStdString(instance);
}

QStringList PlanModel::takeApart(const QString& uid) {
  QStringList out;
  edit(tr("Take apart"), [&](Plan& plan) {
    const auto nodes = arvesk::takeApart(plan, uid.toStdString());
    if (!nodes) return Q_EMIT told(said(toLine(nodes.error())));
    for (const std::string& node : *nodes) out << QString::fromStdString(node);
  });
  return out;
}

}  // namespace arvesk
