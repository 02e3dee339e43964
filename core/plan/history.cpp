#include "core/plan/history.h"

#include "core/plan/plan_index.h"

namespace arvesk {
namespace {

class Hashing {
 public:
  explicit Hashing(FileService& files) : m_files(files) {}

  void add(const Node& node) {
    m_key.addText(node.uid);
    m_key.addText(node.kind);
    m_key.addText(node.subPlan);
    m_key.addText(node.inside.value_or("·"));
    m_key.add(static_cast<std::uint64_t>(node.version));
    m_key.add(static_cast<std::uint64_t>(node.isSkipped) + 2 * static_cast<std::uint64_t>(node.isSeedLocked));
    m_key.add(node.seed);
    for (const auto& [id, value] : node.params) {
      m_key.addText(id);
      m_key.addValue(value);
    }
    for (const auto& [id, formula] : node.follows) {
      m_key.addText(id);
      m_key.addText(formula);
    }
    for (const auto& [id, keys] : node.keys) {
      m_key.addText(id);
      add(keys);
    }
    for (const auto& [id, links] : node.inputs) {
      m_key.addText(id);
      for (const Link& link : links)
        for (const std::string* text : {&link.node, &link.output, &link.slot}) m_key.addText(*text);
    }
    if (const NodeKind* kind = kindOf(node))
      for (const ParamSpec& spec : kind->params)
        if (spec.type == ParamType::File) addFile(std::get<std::string>(node.value(spec)));
  }
  void add(const Keys& keys) {
    m_key.add(static_cast<std::uint64_t>(keys.before) + 4 * static_cast<std::uint64_t>(keys.after));
    for (const Key& key : keys.list) {
      m_key.addValue(key.value);
      m_key.add(static_cast<std::uint64_t>(key.easing));
      for (const double v : {key.frame, key.leaves, key.reaches}) m_key.add(v);
    }
  }
  void addFile(const std::string& path) {
    m_key.addText(path);
    if (path.empty()) return;
    const auto content = m_files.contentKey(path);
    m_key.add(content ? *content : std::uint64_t{0});
  }
  KeyBuilder& key() { return m_key; }

 private:
  FileService& m_files;
  KeyBuilder m_key;
};

}  // namespace

ResultKey historyOf(const Plan& plan, const std::string& uid, Quality quality, FileService& files) {
  Hashing hashing(files);
  KeyBuilder& key = hashing.key();
  const PlanIndex index(plan);
  PlanOrder order(index);
  if (const Node* node = index.find(uid)) order.add(*node);
  bool hasInstances = false;
  for (const Node* node : order.nodes()) {
    hashing.add(*node);
    hasInstances = hasInstances || node->isInstance();
  }
  if (hasInstances)
    for (const SubPlan& sub : plan.subPlans) {
      key.addText(sub.uid);
      for (const FrontControl& front : sub.fronts) {
        key.addText(front.id);
        key.addValue(front.usual);
      }
      for (const Node& node : sub.nodes) hashing.add(node);
    }
  for (const FrontValue& front : plan.fronts) {
    key.addText(front.control.id);
    key.addValue(front.draft);
    key.addValue(front.final);
  }
  for (const Dial& dial : plan.dials) {
    key.addText(dial.name);
    key.add(dial.draft);
    key.add(dial.final);
    hashing.add(dial.keys);
  }
  for (const PropEntry& prop : plan.props) {
    addProp(key, prop);
    hashing.addFile(prop.file);
  }
  key.addText(plan.path);
  key.add(plan.settings.seed);
  if (const auto& time = plan.settings.time) {
    key.add(static_cast<double>(time->first));
    key.add(time->rate);
    key.add(static_cast<double>(time->last));
  }
  if (quality == Quality::Draft) key.add(plan.settings.draftShare);
  return key.lanes;
}

ResultKey memoryKey(const ResultKey& history, const std::string& uid, int frame) {
  KeyBuilder key;
  key.addText("memory");
  key.add(history);
  key.addText(uid);
  key.add(static_cast<double>(frame));
  return key.lanes;
}

}  // namespace arvesk
