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
          link.output = kindOf(*source)->outputs.front().id;
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
      node("kit", "choose-props", {{"pattern", text("*")}}),
      node("slope", "slope", {}, {{"ground", "ground"}}),
      node("noise", "noise", {{"feature_size", 5.0}}),
      node("air", "space-over-ground", {{"to", 1.5}}, {{"ground", "ground"}}),
      node("deep", "depth", {{"band", std::vector<double>{0, 0.3, 5, 5}}}, {{"volume", "air"}}),
      node("drops", "sow-on-surface", {{"density", 0.05}}, {{"surface", "ground"}}),
      node("mist", "mist", {{"times", 6.0}, {"broken", 40.0}, {"voxel_size", 0.5}}, {{"points", "drops"}}),
      node("thick", "depth", {{"of", text("density")}}, {{"volume", "mist"}})};
  std::vector<std::string> points;
  std::vector<std::string> masks{"slope", "noise", "deep", "thick"};
  const std::vector<std::string> filters{
      "keep-by-slope", "keep-by-mask", "clearance", "keep-in",        "keep-out",   "share-out",    "at-most",
      "set-down",      "orient",       "vary",      "shift-by-noise", "make-room",  "size-by-mask", "write-attribute",
      "order",         "clumps",       "dress",     "on-props",       "hold-inside"};
  for (int chain = 0; chain < 3; ++chain) {
    const std::string c = std::to_string(chain);
    const bool isEven = random() % 3 == 0;
    const bool isInAir = random() % 4 == 0;
    nodes.push_back(
        node("sow" + c, isInAir ? "sow-in-volume" : "sow-on-surface",
             {{"way", text(isEven ? "even" : "free")}, {"density", 0.4}, {"spacing", 1.2}, {"footprint", 0.4}},
             {{isInAir ? "volume" : "surface", isInAir ? (random() % 2 ? "mist" : "air") : "ground"}}));
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
      Node n = node(uid, kind, declared.trial.params, {{declared.inputs.front().id, last}});
      for (const ParamSpec& spec : declared.params)
        if (spec.type == ParamType::Choice && random() % 2) n.params[spec.id] = oneOf(spec.options, random).id;
      n.params.insert_or_assign("count", 4.0);
      for (const InputSpec& in : declared.inputs) {
        if (&in == &declared.inputs.front()) continue;
        const std::string slot = uid + "/" + in.id;
        if (in.type == ValueType::Mask) n.inputs[in.id] = {{oneOf(masks, random), "mask", slot}};
        if (in.type == ValueType::Surface) n.inputs[in.id] = {{"ground", "surface", slot}};
        if (in.type == ValueType::Kit) n.inputs[in.id] = {{"kit", "kit", slot}};
        if (in.type == ValueType::Volume) n.inputs[in.id] = {{"air", "volume", slot}};
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

std::optional<ParamValue> anotherValue(const ParamSpec& spec, const ParamValue& now, std::mt19937& random) {
  std::uniform_real_distribution<double> share(0, 1);
  const auto draw = [&] { return spec.usualMin + (spec.usualMax - spec.usualMin) * share(random); };
  switch (spec.type) {
    case ParamType::Toggle: return !std::get<bool>(now);
    case ParamType::Number: return draw();
    case ParamType::Integer: return std::floor(draw());
    case ParamType::Choice: return spec.options[random() % spec.options.size()].id;
    case ParamType::Range: return std::vector<double>{draw(), draw()};
    case ParamType::Vector: return std::vector<double>{draw(), draw(), draw()};
    case ParamType::Band: {
      std::vector<double> four{draw(), draw(), draw(), draw()};
      std::sort(four.begin(), four.end());
      return four;
    }
    default: return {};
  }
}

namespace {

/// Another file of the sort that the parameter or prop takes, now and then one that is not there.
std::string anotherFile(const std::string& now, const char* planFolder, std::mt19937& random) {
  const std::string folder = now.substr(0, now.rfind('/') + 1);
  if (random() % 5 == 0) return folder + "not-there.glb";
  const QStringList all = QDir(sourcePath(planFolder) + QLatin1Char('/') + QString::fromStdString(folder))
                              .entryList({QStringLiteral("*.") + QFileInfo(QString::fromStdString(now)).suffix()});
  if (all.isEmpty()) return now;
  return folder + all[static_cast<qsizetype>(random() % static_cast<std::size_t>(all.size()))].toStdString();
}

void editProps(Plan& plan, const char* planFolder, std::mt19937& random) {
  if (plan.props.empty()) return;
  PropEntry& prop = plan.props[random() % plan.props.size()];
  switch (random() % 7) {
    case 0: prop.size = 0.5 + 0.25 * static_cast<double>(random() % 5); return;
    case 1: prop.footprint = 0.1 * static_cast<double>(random() % 4); return;
    case 2: prop.name += "'"; return;
    case 3: prop.tags = random() % 2 ? "small" : ""; return;
    case 4: prop.turnDeg.y += 90; return;
    case 5: prop.file = anotherFile(prop.file, planFolder, random); return;
    default: plan.props.erase(plan.props.begin() + static_cast<std::ptrdiff_t>(random() % plan.props.size()));
  }
}

/// Takes a link off, its place stays; or joins another output of the same type, if that closes no loop.
void editLinks(Plan& plan, Node& node, std::mt19937& random) {
  for (auto& [id, links] : node.inputs)
    for (Link& link : links) {
      if (random() % 3 || link.isEmpty()) continue;
      const auto type = outputType(plan, link);
      const Node& other = plan.nodes[random() % plan.nodes.size()];
      const NodeKind* kind = kindOf(other);
      const std::string slot = link.slot;
      link = {{}, {}, slot};
      if (random() % 2 || kind->outputs.empty() || wouldLoop(plan, other.uid, node.uid)) return;
      const Link found{other.uid, kind->outputs[random() % kind->outputs.size()].id, slot};
      if (outputType(plan, found) == type) link = found;
      return;
    }
}

}  // namespace

void randomEdit(Plan& plan, std::mt19937& random, const char* planFolder) {
  Node& node = plan.nodes[random() % plan.nodes.size()];
  const NodeKind& kind = *kindOf(node);
  switch (random() % 10) {
    case 0: node.isSkipped = !node.isSkipped; return;
    case 1: node.seed = random() % 1000; return;
    case 2: plan.settings.seed = random() % 5; return;
    case 3: node.title += "'"; return;
    case 4: return editProps(plan, planFolder, random);
    case 5: return editLinks(plan, node, random);
    default:
      if (kind.params.empty()) return;
      const ParamSpec& spec = kind.params[random() % kind.params.size()];
      if (spec.id == "density" || spec.id == "spacing" || spec.id == "total") return;  // counts are to stay small
      if (spec.type == ParamType::File) {
        if (const auto* now = std::get_if<std::string>(&node.value(spec)); now && !now->empty())
          node.params[spec.id] = anotherFile(*now, planFolder, random);
      } else if (spec.type == ParamType::Strokes) {
        std::vector<double> dabs = std::get<std::vector<double>>(node.value(spec));
        const auto at = [&] { return static_cast<double>(random() % 20) - 10; };
        for (const double v : {at(), 0.0, at(), 3.0, random() % 2 ? 1.0 : -1.0, 0.5}) dabs.push_back(v);
        node.params[spec.id] = dabs;
      } else if (spec.type == ParamType::Points) {
        HandPoints points = std::get<HandPoints>(node.value(spec));
        HandPoint p;
        p.key = random();
        p.place = {static_cast<float>(random() % 20) - 10, 0, static_cast<float>(random() % 20) - 10};
        p.ground = random() % 2 ? points.numberOf(GroundPiece{}) : 0;
        points.list.append(std::span(&p, 1));
        node.params[spec.id] = points;
      } else if (spec.type == ParamType::Touches) {
        TouchUps touches = std::get<TouchUps>(node.value(spec));
        TouchUp t;
        t.id = random();
        t.at = {static_cast<float>(random() % 20) - 10, 0, static_cast<float>(random() % 20) - 10};
        t.isKept = random() % 2;
        t.isRemoved = random() % 3 == 0;
        t.move = {static_cast<float>(random() % 5), 0, 0};
        touches.list.append(std::span(&t, 1));
        node.params[spec.id] = touches;
      } else if (const auto value = anotherValue(spec, node.value(spec), random);
                 value && faultOf(spec, *value).empty()) {
        node.params[spec.id] = *value;
      }
  }
}

}  // namespace arvesk::test
