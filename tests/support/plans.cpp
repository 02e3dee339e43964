#include "tests/support/plans.h"

#include <QDir>
#include <QFileInfo>

namespace arvesk::test {
namespace {

PropEntry propOf(const std::string& name) {
  PropEntry entry;
  entry.uid = entry.name = name;
  entry.file = "kit/" + name + ".glb";
  return entry;
}

template <typename T>
const T& oneOf(const std::vector<T>& list, std::mt19937& random) {
  return list[random() % list.size()];
}

}  // namespace

void committedPlans() {
  QTest::addColumn<QString>("file");
  QTest::newRow("tern-cove") << QStringLiteral("demo/tern-cove/tern-cove.arvesk");
  for (const QString& name : QDir(sourcePath("demo/examples")).entryList({QStringLiteral("*.arvesk")}))
    QTest::newRow(qPrintable(name)) << QStringLiteral("demo/examples/%1").arg(name);
}

std::string folderOf(const QString& planFile) {
  return QFileInfo(sourcePath(qPrintable(planFile))).absolutePath().toStdString();
}

Node node(const std::string& uid, const std::string& kind, const ParamMap& params,
          const std::map<std::string, std::string>& inputs) {
  Node n;
  n.uid = uid;
  n.title = uid;
  n.kind = kind;
  n.params = params;
  for (const auto& [input, sources] : inputs) {
    std::size_t at = 0;
    while (at <= sources.size()) {
      const std::size_t end = std::min(sources.find('|', at), sources.size());
      const std::string source = sources.substr(at, end - at);
      const std::size_t dot = source.find('.');
      const std::string from = source.substr(0, dot);
      n.inputs[input].push_back({from, dot == std::string::npos ? std::string() : source.substr(dot + 1),
                                 uid + "/" + input + "/" + std::to_string(n.inputs[input].size())});
      at = end + 1;
    }
  }
  return n;
}

Plan planOf(std::vector<Node> nodes) {
  Plan plan;
  plan.nodes = std::move(nodes);
  for (Node& n : plan.nodes)
    for (auto& [input, links] : n.inputs)
      for (Link& link : links)
        if (const Node* source = plan.find(link.node); source && link.output.empty())
          link.output = findNodeKind(source->kind)->outputs.front().id;
  plan.settings.draftShare = 0.25;
  for (const char* name : {"boulder-a", "slab-a", "starfish", "dinghy"}) plan.props.push_back(propOf(name));
  return plan;
}

Plan crowdedPlan() {
  return planOf({node("ground", "shape", {{"extent", std::vector<double>{40, 1, 40}}}),
                 node("sow", "sow-on-surface", {{"density", 4.0}, {"footprint", 0.3}}, {{"surface", "ground"}}),
                 node("apart", "clearance", {}, {{"points", "sow"}}),
                 node("kit", "choose-props", {{"pattern", std::string("*")}}),
                 node("dress", "dress", {}, {{"points", "apart"}, {"kit", "kit"}}),
                 node("out", "output", {}, {{"points", "dress"}})});
}

Plan randomPlan(std::mt19937& random) {
  const auto text = [](const char* t) { return std::string(t); };
  std::vector<Node> nodes{
      node("ground", "terrain", {{"file", text("tern-cove-wet.png")}, {"width", 40.0}, {"highest", 3.0}}),
      node("kit", "choose-props", {{"pattern", text("*")}}), node("slope", "slope", {}, {{"ground", "ground"}}),
      node("noise", "noise", {{"size", 5.0}})};
  std::vector<std::string> points;
  std::vector<std::string> masks{"slope", "noise"};
  const std::vector<std::string> filters{
      "keep-by-slope", "keep-by-mask",    "clearance", "keep-in", "keep-out",       "share-out",
      "at-most",       "set-down",        "orient",    "vary",    "shift-by-noise", "make-room",
      "size-by-mask",  "write-attribute", "order",     "clumps",  "dress",          "on-props"};
  for (int chain = 0; chain < 3; ++chain) {
    const std::string c = std::to_string(chain);
    const bool isEven = random() % 3 == 0;
    nodes.push_back(
        node("sow" + c, "sow-on-surface",
             {{"way", text(isEven ? "even" : "free")}, {"density", 0.6}, {"spacing", 1.2}, {"footprint", 0.4}},
             {{"surface", "ground"}}));
    if (random() % 2) nodes.back().inputs["where"] = {{oneOf(masks, random), "mask", "w" + c}};
    if (random() % 3 == 0) nodes.back().params["in_draft"] = text("own"), nodes.back().params["draft_share"] = 40.0;
    std::string last = "sow" + c;
    bool isDressed = false;
    for (int k = 0; k < 5; ++k) {
      std::string kind = oneOf(filters, random);
      if (kind == "on-props" && !isDressed) kind = "dress";
      isDressed = isDressed || kind == "dress";
      const std::string uid = kind + c + std::to_string(k);
      const NodeKind& declared = *findNodeKind(kind);
      Node n = node(uid, kind, paramsFor(declared), {{declared.inputs.front().id, last}});
      for (const ParamSpec& spec : declared.params)
        if (spec.type == ParamType::Choice && random() % 2) n.params[spec.id] = oneOf(spec.options, random).id;
      n.params.insert_or_assign("count", 4.0);
      for (const InputSpec& in : declared.inputs) {
        if (&in == &declared.inputs.front()) continue;
        const std::string slot = uid + "/" + in.id;
        if (in.type == ValueType::Mask) n.inputs[in.id] = {{oneOf(masks, random), "mask", slot}};
        if (in.type == ValueType::Surface) n.inputs[in.id] = {{"ground", "surface", slot}};
        if (in.type == ValueType::Kit) n.inputs[in.id] = {{"kit", "kit", slot}};
        if (in.type == ValueType::Points && !points.empty())
          n.inputs[in.id] = {{oneOf(points, random), "points", slot}};
      }
      if (!declared.findParam("count")) n.params.erase("count");
      nodes.push_back(std::move(n));
      last = uid;
    }
    points.push_back(last);
    // A mask that looks at this chain, for the ones after it.
    nodes.push_back(node("near" + c, random() % 2 ? "distance" : "crowding", {}, {{"points", last}}));
    masks.push_back("near" + c);
  }
  nodes.push_back(node("merge", "merge", {}, {{"points", points[0] + "|" + points[1]}}));
  nodes.push_back(node("out", "output", {}, {{"points", "merge"}}));
  nodes.push_back(node("out2", "output", {}, {{"points", points[2] + "|" + points[0]}}));
  Plan plan = planOf(std::move(nodes));
  plan.settings.draftShare = 0.1 + 0.1 * static_cast<double>(random() % 8);
  return plan;
}

void randomEdit(Plan& plan, std::mt19937& random) {
  Node& n = plan.nodes[random() % plan.nodes.size()];
  const NodeKind& kind = *findNodeKind(n.kind);
  switch (random() % 8) {
    case 0: n.isSkipped = !n.isSkipped; return;
    case 1: n.seed = random() % 1000; return;
    case 2: plan.settings.seed = random() % 5; return;
    case 3: n.title = "named " + std::to_string(random() % 10); return;
    case 4:
      if (!n.inputs.empty()) {
        auto& links = std::next(n.inputs.begin(), static_cast<long>(random() % n.inputs.size()))->second;
        Link& link = links[random() % links.size()];
        link.node.clear();
        link.output.clear();
        tidyPlaces(plan);
      }
      return;
    case 5:
      if (!plan.props.empty())
        plan.props[random() % plan.props.size()].size = 0.5 + 0.1 * static_cast<double>(random() % 10);
      return;
    default:
      for (int tries = 0; tries < 8 && !kind.params.empty(); ++tries) {
        const ParamSpec& spec = kind.params[random() % kind.params.size()];
        if (spec.type == ParamType::Choice) return void(n.params[spec.id] = oneOf(spec.options, random).id);
        if (spec.type == ParamType::Toggle) return void(n.params[spec.id] = !std::get<bool>(n.value(spec)));
      }
  }
}

}  // namespace arvesk::test
