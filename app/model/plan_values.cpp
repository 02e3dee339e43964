// Edits of what nodes are set to: parameters, dials that they follow, skipping, names.
#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "core/plan/dials.h"
#include "core/plan/key_edits.h"

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
  // What moves gets a key where the plan is.
  const double frame = momentOf(plan).frame;
  for (auto& [id, keys] : changed.keys) {
    const auto [param, part] = followedPart(id);
    if (param != paramId || keys.isEmpty()) continue;
    ParamValue now = changed.params[paramId];
    if (part) {
      const auto* numbers = std::get_if<std::vector<double>>(&now);
      if (!numbers || *part >= numbers->size()) continue;
      now = ParamValue((*numbers)[*part]);
    }
    if (valueAt(keys, frame) != now) setValueAt(keys, frame, std::move(now));
  }
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

void PlanModel::setFrame(double frame, bool isPassing) {
  if (momentOf(*m_document).frame == frame) return;
  const PlanPtr next = snapshotAt(frame);
  m_frame = next->frame;
  m_document = next;
  look();
  Q_EMIT frameChanged(isPassing);
}

PlanPtr PlanModel::snapshotAt(double frame, bool isMade) {
  m_frames.try_emplace(momentOf(*m_document).frame, m_document);
  const auto known = m_frames.find(frame);
  if (known != m_frames.end()) return known->second;
  if (!isMade) return nullptr;
  Plan then = *m_document;
  then.frame = frame;
  return m_frames.emplace(frame, std::make_shared<const Plan>(std::move(then))).first->second;
}

void PlanModel::setTime(const std::optional<PlanTime>& time, const QString& mergeKey) {
  editDocument(
      time ? tr("Time of the plan") : tr("No time"), [&](Plan& plan) { plan.settings.time = time; }, mergeKey);
}

void PlanModel::setKeyHere(const QStringList& uids, const std::string& paramId) {
  const double frame = momentOf(*m_document).frame;
  edit(tr("Key at frame %1").arg(frame), [&](Plan& plan) {
    for (const QString& uid : uids) {
      Node* node = plan.find(uid.toStdString());
      const NodeKind* kind = node ? kindOf(*node) : nullptr;
      const ParamSpec* spec = kind ? kind->findParam(paramId) : nullptr;
      if (!spec || !canHaveKeys(spec->type)) continue;
      Node now = *node;
      now.params = paramsNow(plan, *node, Quality::Final);
      bool hasParts = false;  // one of its numbers has keys of its own: these get one then
      for (auto& [id, keys] : node->keys)
        if (const auto part = followedPart(id); part.param == paramId && part.part && !keys.isEmpty()) {
          const ParamValue whole = now.value(*spec);
          const auto* numbers = std::get_if<std::vector<double>>(&whole);
          if (!numbers || *part.part >= numbers->size()) continue;  // the card tells
          setValueAt(keys, frame, (*numbers)[*part.part]);
          hasParts = true;
        }
      if (!hasParts) setValueAt(node->keys[paramId], frame, now.value(*spec));
    }
  });
}

void PlanModel::takeKeys(const QStringList& uids, const std::string& paramId, bool areAll) {
  const double frame = momentOf(*m_document).frame;
  edit(areAll ? tr("Take all keys out") : tr("Take the key at frame %1 out").arg(frame), [&](Plan& plan) {
    for (const QString& uid : uids) {
      Node* node = plan.find(uid.toStdString());
      if (!node) continue;
      const ParamMap now = paramsNow(plan, *node, Quality::Final);
      for (auto& [id, keys] : node->keys)
        if (followedPart(id).param == paramId)
          std::erase_if(keys.list, [&](const Key& key) { return areAll || key.frame == frame; });
      std::erase_if(node->keys, [](const auto& of) { return of.second.isEmpty(); });
      if (const auto value = now.find(paramId); value != now.end()) node->params[paramId] = value->second;
    }
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
