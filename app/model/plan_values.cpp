// Edits of what nodes are set to: parameters, dials that they follow, skipping, names.
#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "core/plan/dials.h"

#include <algorithm>

namespace arvesk {
namespace {

/// The value as it is for another node: of several numbers, those that differ from what they were.
ParamValue asFor(const Node& other, const ParamSpec& spec, const ParamValue& before, const ParamValue& value) {
  const auto* was = std::get_if<std::vector<double>>(&before);
  const auto* is = std::get_if<std::vector<double>>(&value);
  if (!was || !is || was->size() != is->size() || (spec.type != ParamType::Range && spec.type != ParamType::Vector))
    return value;
  std::vector<double> own = std::get<std::vector<double>>(other.value(spec));
  for (std::size_t i = 0; i < own.size() && i < is->size(); ++i)
    if ((*was)[i] != (*is)[i]) own[i] = (*is)[i];
  return own;
}

void setOne(const Plan& plan, Node& changed, const std::string& paramId, ParamValue value) {
  changed.params[paramId] = std::move(value);
  changed.refused.erase(paramId);
  std::erase_if(changed.follows, [&](const auto& followed) {
    const auto [param, part] = followedPart(followed.first);
    if (param != paramId) return false;
    // Of several numbers only the one that was changed is let go.
    const auto* numbers = std::get_if<std::vector<double>>(&changed.params[paramId]);
    if (!part || !numbers || *part >= numbers->size()) return true;
    const auto is = [&](Quality quality) {
      const auto now = dialValue(plan, followed.second, quality);
      return now && std::abs(*now - (*numbers)[*part]) <= 1e-6 * std::max(1.0, std::abs(*now));
    };
    return !is(Quality::Draft) && !is(Quality::Final);
  });
}

}  // namespace

void PlanModel::setParam(const QStringList& uids, const std::string& paramId, ParamValue value,
                         const QString& mergeKey) {
  const Node* node = uids.isEmpty() ? nullptr : m_plan->find(uids.first().toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const ParamSpec* spec = kind ? kind->findParam(paramId) : nullptr;
  if (!spec) return;
  const ParamValue before = node->value(*spec);
  const QString label = said(spec->label);
  edit(
      uids.size() == 1 ? tr("%1: %2").arg(QString::fromStdString(node->title), label)
                       : tr("%1 of %2 nodes").arg(label).arg(uids.size()),
      [&](Plan& plan) {
        for (const QString& uid : uids)
          if (Node* changed = plan.find(uid.toStdString()); changed && kindOf(*changed) == kind)
            setOne(plan, *changed, paramId, uid == uids.first() ? value : asFor(*changed, *spec, before, value));
      },
      mergeKey);
}

void PlanModel::setParams(const QString& uid, const std::vector<std::pair<std::string, ParamValue>>& values,
                          const QString& mergeKey) {
  const Node* node = m_plan->find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  QStringList labels;
  for (const auto& [id, value] : values)
    if (const ParamSpec* spec = kind ? kind->findParam(id) : nullptr) labels << said(spec->label);
  if (labels.isEmpty()) return;
  edit(
      tr("%1: %2").arg(QString::fromStdString(node->title), labels.join(QStringLiteral(", "))),
      [&](Plan& plan) {
        Node& changed = *plan.find(uid.toStdString());
        for (const auto& [id, value] : values)
          if (kind->findParam(id)) setOne(plan, changed, id, value);
      },
      mergeKey);
}

void PlanModel::follow(const QStringList& uids, const std::string& paramId, const QString& formula) {
  edit(tr("Follow %1").arg(formula), [&](Plan& plan) {
    for (const QString& uid : uids)
      if (Node* node = plan.find(uid.toStdString())) node->follows[paramId] = formula.toStdString();
  });
}

void PlanModel::setSkipped(const QStringList& uids, bool isSkipped) {
  edit(isSkipped ? tr("Skip") : tr("Do not skip"), [&](Plan& plan) {
    for (const QString& uid : uids)
      if (Node* node = plan.find(uid.toStdString())) node->isSkipped = isSkipped;
  });
}

void PlanModel::editDocument(const QString& text, const std::function<void(Plan&)>& change, const QString& mergeKey) {
  Plan document = *m_document;
  change(document);
  if (!(document == *m_document)) push(text, std::move(document), mergeKey);
}

void PlanModel::rename(const QString& uid, const QString& title) {
  edit(tr("Rename"), [&](Plan& plan) {
    Node* node = plan.find(uid.toStdString());
    if (!node) return;
    // The only use of a sub-plan and the sub-plan go by one name until somebody parts them.
    if (SubPlan* s = node->isInstance() ? plan.findSubPlan(node->subPlan) : nullptr)
      if (s->name == node->title && usesOf(s->uid) == 1) s->name = title.toStdString();
    node->title = title.toStdString();
  });
}

}  // namespace arvesk
