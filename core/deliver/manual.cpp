#include "core/deliver/manual.h"

#include "core/geometry/shapes.h"
#include "core/masks/noise_mask.h"
#include "core/picture/render.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace arvesk {
namespace {

constexpr float kExtent = 24;  // m, of the slope in the pictures

std::string typeName(ValueType type) {
  constexpr std::array names{"surface", "points", "mask", "kit"};
  return names[static_cast<std::size_t>(type)];
}

std::string defaultText(const ParamSpec& spec) {
  if (const auto* d = std::get_if<double>(&spec.defaultValue)) return fmt::format("{:g}{}", *d, unitSuffix(spec.unit));
  if (const auto* b = std::get_if<bool>(&spec.defaultValue)) return *b ? "on" : "off";
  if (const auto* n = std::get_if<std::vector<double>>(&spec.defaultValue)) {
    std::string out;
    for (const double d : *n) out += fmt::format("{}{:g}", out.empty() ? "" : ", ", d);
    return out.empty() ? "none" : out + unitSuffix(spec.unit);
  }
  if (const auto* s = std::get_if<std::string>(&spec.defaultValue)) {
    for (const Option& o : spec.options)
      if (o.id == *s) return o.label;
    return s->empty() ? "none" : *s;
  }
  return "none";
}

std::string cell(std::string text) {
  for (std::size_t at = 0; (at = text.find('|', at)) != std::string::npos; at += 2) text.replace(at, 1, "\\|");
  return text;
}

/// A slope with a ridge and a hollow, colored as sand and turf.
Surface slope(int divisions) {
  Surface s = makePlane(kExtent, kExtent * 0.7F, divisions);
  for (Vec3& p : s.positions.edit())
    p.y = 2.2F * gradientNoiseScalar(p.x * 0.16F, 0.3F, p.z * 0.16F, 11) +
          0.4F * gradientNoiseScalar(p.x * 0.6F, 0.7F, p.z * 0.6F, 5) + 0.08F * p.x;
  computeSmoothNormals(s);
  for (const Vec3& n : s.normals)
    s.colors.edit().push_back(
        glm::mix(Vec4(0.42F, 0.36F, 0.26F, 1), Vec4(0.30F, 0.33F, 0.19F, 1), std::clamp((n.y - 0.8F) * 5, 0.0F, 1.0F)));
  return s;
}

Surface colored(Surface s, const Vec3& color) {
  s.colors.edit().assign(s.positions.size(), Vec4(color, 1));
  return s;
}

Surface taperedBox(const Vec3& size, float top) {
  Surface s = makeBox(size);
  for (Vec3& p : s.positions.edit())
    if (p.y > 0.5F * size.y) p = Vec3(p.x * top, p.y, p.z * top);
  return s;
}

/// Files for the kinds that read some: a height image and a stone.
class ExampleFiles : public FileService {
 public:
  Result<std::uint64_t> contentKey(const std::string&) override { return 1; }
  Result<SurfacePtr> surface(const std::string&, const Task&, std::vector<Problem>&) override {
    return std::make_shared<const Surface>(colored(makeTorus(3, 1.2F, 32), {0.45F, 0.42F, 0.38F}));
  }
  Result<SurfacePtr> scene(const std::string&, const Task&, std::vector<Problem>&) override {
    Surface s;
    for (int i = 0; i < 24; ++i) {
      const float x = (static_cast<float>(i % 8) - 3.5F) * 2.4F;
      const float z = (static_cast<float>(i / 8) - 1.0F) * 4.2F;
      s.nodes.push_back({fmt::format("post_{}", i + 1),
                         -1,
                         {x, 2.4F + 0.09F * x, z + 0.5F * std::sin(x)},
                         Quat(1, 0, 0, 0),
                         Vec3(1)});
      s.positions.edit().push_back(s.nodes.back().position);
    }
    return std::make_shared<const Surface>(std::move(s));
  }
  Result<TablePtr> table(const std::string&, const Task&) override { return std::make_shared<const Table>(); }
  Result<ImagePtr> image(const std::string&, const Task&) override {
    Image image{64, 64, 1, 16, {}};
    for (int y = 0; y < 64; ++y)
      for (int x = 0; x < 64; ++x)
        image.values.push_back(
            0.5F + 0.5F * gradientNoiseScalar(static_cast<float>(x) * 0.08F, 0.2F, static_cast<float>(y) * 0.08F, 3));
    return std::make_shared<const Image>(std::move(image));
  }
};

KitPtr exampleKit() {
  static const KitPtr kit = [] {
    auto k = std::make_shared<Kit>();
    const auto add = [&](const char* name, Surface s, const Vec3& color) {
      k->entries.push_back({makeProp(name, name, std::make_shared<const Surface>(colored(std::move(s), color))), 1});
    };
    add("post", taperedBox({0.34F, 1.1F, 0.34F}, 0.55F), {0.36F, 0.22F, 0.12F});
    add("block", taperedBox({0.9F, 0.42F, 0.55F}, 0.85F), {0.34F, 0.35F, 0.37F});
    add("tuft", taperedBox({0.2F, 0.6F, 0.2F}, 2.4F), {0.16F, 0.30F, 0.12F});
    return k;
  }();
  return kit;
}

struct Example {
  ParamMap params;
  double spacing = 0.55;    // of the points at its inputs
  double patchSpacing = 6;  // of the points that it refers to
  enum class Shows {
    Usual,
    Order,
    Number,
    PointMask,
    OnProps
  } shows =
      Shows::Usual;  // points colored by order, by the number written, by a mask of what they carry; on dressed points
  int groundDivisions = 120;
};

/// What a kind needs to show its point; the others show it with their defaults.
Example exampleOf(const std::string& id) {
  const auto band = [](double a, double b, double c, double d) { return std::vector<double>{a, b, c, d}; };
  static const std::map<std::string, Example> examples{
      {"shape", {{{"form", std::string("torus")}}}},
      {"terrain", {{{"file", std::string("example.png")}, {"width", 24.0}, {"lowest", 0.0}, {"highest", 5.0}}}},
      {"mesh-file", {{{"file", std::string("example.glb")}}}},
      {"part-of-surface", {{{"limit", 0.55}}}},
      {"sow-on-surface", {{{"way", std::string("even")}, {"spacing", 0.55}}}},
      {"pattern", {{{"shape", std::string("spiral")}, {"count", 160.0}, {"step", 0.55}}}},
      {"clumps", {{{"count", 26.0}, {"radius", 1.5}, {"separation", 0.16}}, 0.55, 5}},
      {"slope", {{{"band", band(0, 0, 12, 24)}}}},
      {"facing", {{{"band", band(0, 0, 60, 80)}}}},
      {"height", {{{"band", band(0.2, 0.8, 20, 30)}}}},
      {"noise", {{{"feature_size", 4.0}, {"contrast", 2.0}}}},
      {"picture", {{{"file", std::string("example.png")}}}},
      {"distance", {{{"band", band(0, 0, 0.6, 2.2)}}, 0.55, 5}},
      {"region", {{{"extent", std::vector<double>{14, 14, 9}}, {"softness", 2.0}}}},
      {"crowding", {{{"radius", 2.8}, {"band", band(0, 3, 40, 60)}}, 0.55, 2.6}},
      {"openness", {{{"band", band(0.84, 0.985, 1, 1)}, {"reach", 12.0}}}},
      {"hollows", {{{"radius", 1.5}, {"band", band(0.0, 0.08, 1, 1)}}}},
      {"expression", {{{"text", std::string("0.5 + 0.5 * sin(x)")}}}},
      {"painted", {{{"strokes", std::vector<double>{-6, 0, -1,  3.5, 1, 0.6, -2.5, 0, 1,   3, 1, 0.6, 1, 0, 0,
                                                    3,  1, 0.6, 5,   1, -2,  2.6,  1, 0.5, 8, 1, 2,   2, 1, 0.5}}}}},
      {"attribute",
       {{{"name", std::string("size")}, {"band", band(0.4, 1.4, 2, 2)}}, 0.7, 6, Example::Shows::PointMask}},
      {"keep-by-slope", {{{"slope", band(0, 0, 10, 16)}}}},
      {"markers", {{{"file", std::string("example.glb")}}}},
      {"point-file", {{{"file", std::string("example.ply")}}}},
      {"shrink-faces", {{{"share", 30.0}}, 0.55, 6, Example::Shows::Usual, 12}},
      {"points-of-surface", {{}, 0.55, 6, Example::Shows::Usual, 18}},
      {"planting-grid", {{{"cells", std::string("hexagonal")}, {"spacing", 0.8}, {"turn", 20.0}}}},
      {"shift-by-noise", {{{"strength", std::vector<double>{1.5, 0, 1.5}}}, 1.6}},
      {"make-room", {{{"by", std::string("spacing")}, {"spacing", 2.6}}, 2.0}},
      {"size-by-mask", {{{"size", std::vector<double>{0.4, 1.8}}}, 1.9}},
      {"move-as-one", {{{"heading", 35.0}, {"size", 0.55}}, 2.2}},
      {"on-props", {{{"spacing", 0.55}}, 2.6, 6, Example::Shows::OnProps}},
      {"bake-to-mesh", {{{"shown", true}}, 2.2, 6, Example::Shows::OnProps}},
      {"clearance", {{{"by", std::string("spacing")}, {"spacing", 1.2}}}},
      {"keep-in", {{}, 0.55, 6}},
      {"keep-out", {{}, 0.55, 6}},
      {"at-most", {{{"number", 250.0}}}},
      {"share-out", {{{"count", 3.0}}}},
      {"set-down", {{}, 2.4}},
      {"orient", {{{"lean", 100.0}, {"tilt_x", std::vector<double>{-12, 12}}}, 2.4}},
      {"vary", {{{"turn_y", std::vector<double>{-180, 180}}, {"size", std::vector<double>{0.5, 1.6}}}, 2.4}},
      {"write-attribute", {{}, 0.7, 6, Example::Shows::Number}},
      {"order", {{}, 0.7, 6, Example::Shows::Order}},
      {"dress", {{}, 2.2}},
      {"merge", {{}, 2.2}},
      {"choose", {{}, 2.2}},
      {"output", {{}, 2.2}},
  };
  const auto it = examples.find(id);
  return it == examples.end() ? Example{} : it->second;
}

/// Calls kinds directly: the manual needs no document.
struct Runner {
  const Task& task;
  ExampleFiles files;
  std::vector<PropPtr> props;
  std::vector<Problem> warnings;
  std::optional<Histogram> histogram;
  std::size_t candidates = 0;

  Result<Outputs> run(const NodeKind& kind, const Inputs& inputs, const ParamMap& params, std::uint64_t uid) {
    EvalContext ctx;
    ctx.task = {task.stop, {}};
    ctx.planSeed = 7;
    ctx.nodeUid = uid;
    ctx.files = &files;
    ctx.props = &props;
    ctx.warnings = &warnings;
    ctx.histogram = &histogram;
    ctx.candidates = &candidates;
    for (const auto& [id, value] : params) {
      const ParamSpec* spec = kind.findParam(id);
      ARVESK_ASSERT(spec && faultOf(*spec, value).empty(),
                    "an example names a parameter that the kind has, with a value it takes");
    }
    return kind.evaluate(ctx, inputs, params);
  }

  PointsPtr sown(const SurfacePtr& ground, double spacing, double footprint, std::uint64_t uid) {
    Inputs in;
    in.links["surface"].push_back({ground, 1});
    const auto out = run(*findNodeKind("sow-on-surface"), in,
                         {{"way", std::string("even")}, {"spacing", spacing}, {"footprint", footprint}}, uid);
    return out ? std::get<PointsPtr>(out->front()) : std::make_shared<const Points>();
  }
};

PointsPtr dressed(const PointsPtr& points) {
  if (points->kit) return points;
  Points p = *points;
  Array<std::int32_t> prop(p.count);
  for (std::size_t i = 0; i < p.count; ++i) prop[i] = static_cast<std::int32_t>(hashOf(p.id[i], 3ULL) % 2);
  p.prop = std::move(prop);
  p.kit = exampleKit();
  Array<Vec3> size(p.count);
  for (std::size_t i = 0; i < p.count; ++i) size[i] = p.size[i] * 1.6F;  // to be seen in a small picture
  p.size = std::move(size);
  return std::make_shared<const Points>(std::move(p));
}

}  // namespace

std::string manualPage(const NodeKind& kind, bool hasPicture) {
  std::string out = fmt::format("# {}\n\n", kind.label);
  if (hasPicture) out += fmt::format("![{}]({}.png)\n\n", kind.label, kind.id);
  out += fmt::format("{}\n\nFamily: {} · in files: `{}`\n\n", kind.help, familyLabel(kind.family), kind.id);
  if (!kind.inputs.empty()) {
    out += "## In\n\n";
    for (const InputSpec& in : kind.inputs)
      out += fmt::format("- **{}** ({}{}{}): {}\n", in.label, typeName(in.type), in.isMany ? ", several" : "",
                         in.isOptional ? ", optional" : "", in.help);
    out += "\n";
  }
  out += "## Out\n\n";
  for (const OutputSpec& o : kind.outputs) out += fmt::format("- **{}** ({})\n", o.label, typeName(o.type));
  if (kind.usesSeed) out += "\nIt has a seed of its own, which can be locked against the plan's.\n";
  if (!kind.params.empty()) {
    out += "\n## Parameters\n\n| parameter | default | meaning |\n|---|---|---|\n";
    for (const ParamSpec& p : kind.params) {
      std::string options;
      for (const Option& o : p.options) options += fmt::format("{}{}", options.empty() ? " Options: " : ", ", o.label);
      out += fmt::format("| {} | {} | {}{} |\n", cell(p.label), cell(defaultText(p)), cell(p.help), cell(options));
    }
  }
  std::string cannot;
  if (!kind.exemptions.nestsInAmount)
    cannot += "\n- changing its amount may move points that stay, not only add or take away\n";
  if (!kind.exemptions.isLocal)
    cannot += std::string(cannot.empty() ? "\n" : "") + "- an edit in one place may show farther away than its reach\n";
  if (!cannot.empty()) out += "\n## What it cannot keep\n" + cannot;
  return out;
}

std::string manualIndex() {
  std::string out =
      "# Nodes\n\nOne page per node, made by `arvesk-run nodes --manual` from the declarations in `core/nodes`. In the "
      "application F1 opens the page of the selected node.\n";
  const Family* before = nullptr;
  for (const NodeKind* kind : allNodeKinds()) {
    if (!before || *before != kind->family) out += fmt::format("\n## {}\n\n", familyLabel(kind->family));
    before = &kind->family;
    out += fmt::format(
        "- [{}]({}.md): {}\n", kind->label, kind->id,
        kind->help.substr(0, kind->help.find(". ")) + (kind->help.find(". ") == std::string::npos ? "" : "."));
  }
  return out;
}

Array<std::uint32_t> manualPicture(const NodeKind& kind, int width, int height, const Task& task) {
  const auto ground = std::make_shared<const Surface>(slope(exampleOf(kind.id).groundDivisions));
  const Example example = exampleOf(kind.id);
  Runner runner{task, {}, {}, {}, {}, 0};
  for (const KitEntry& e : exampleKit()->entries) runner.props.push_back(e.prop);
  ParamMap params = example.params;
  if (kind.id == "choose-props") {
    PropChoices all;
    for (const PropPtr& prop : runner.props) all.push_back({prop->uid, 1, true});
    params["props"] = all;
  }
  PointsPtr many = runner.sown(ground, example.spacing, example.spacing / 2, 21);
  if (example.shows == Example::Shows::OnProps) many = dressed(many);
  const PointsPtr few = runner.sown(ground, example.patchSpacing, 1.7, 22);
  const MaskPtr noise = makeNoiseMask({4, 2, 0.5F, 2.2F, Vec3(1), Vec3(0), NoiseForm::Plain, 9}, {0, 1, 1, 1}, {});
  const bool takesParents = kind.family == Family::Scatter;
  Points lifted = *many;
  {
    Array<Vec3> position(lifted.count);
    for (std::size_t i = 0; i < lifted.count; ++i)
      position[i] = lifted.position[i] +
                    kUp * (1.2F + 1.6F * static_cast<float>(hashOf(lifted.id[i], 5ULL) % 1000) / 1000);
    lifted.position = std::move(position);
  }
  const auto hanging = std::make_shared<const Points>(std::move(lifted));
  Inputs in;
  for (std::size_t i = 0; i < kind.inputs.size(); ++i) {
    const InputSpec& spec = kind.inputs[i];
    if (spec.id == "where" || spec.id == "toward" || spec.id == "placements" || spec.id == "mask"
            ? spec.isOptional && kind.id != "part-of-surface"
            : false)
      continue;
    if (spec.id == "against" || spec.id == "priority" || spec.id == "spacing") continue;
    if (spec.type == ValueType::Surface &&
        (!spec.isOptional || (kind.family == Family::Mask && kind.id != "distance") || kind.id == "set-down" ||
         kind.id == "clumps" || kind.id == "make-room"))
      in.links[spec.id].push_back({ground, 1});
    if (spec.type == ValueType::Mask && !(kind.id == "dress")) in.links[spec.id].push_back({noise, 1});
    if (spec.type == ValueType::Kit) in.links[spec.id].push_back({exampleKit(), 1});
    if (spec.type == ValueType::Points)
      in.links[spec.id].push_back(
          {(i == 0 && !takesParents && kind.family != Family::Mask) ? (kind.id == "set-down" ? hanging : many) : few,
           1});
  }
  if (kind.id == "merge-surfaces")
    in.links.begin()->second.push_back(
        {std::make_shared<const Surface>(
             transformed(colored(makeBall(2.2F, 24), {0.45F, 0.42F, 0.38F}), Vec3(2, 1.2F, 0), Quat(1, 0, 0, 0), 1)),
         2});
  auto outputs = runner.run(kind, in, params, 23);
  if (outputs && (kind.id == "move-as-one" ||
                  kind.id == "shift-by-noise")) {  // what was moved is shown where it would then be set down
    Inputs moved;
    moved.links["points"].push_back({outputs->front(), 1});
    moved.links["ground"].push_back({ground, 2});
    if (auto down = runner.run(*findNodeKind("set-down"), moved, {}, 24)) outputs->front() = down->front();
  }
  if (!outputs || task.isCancelled()) return {};

  PictureInput input;
  input.light.sunHeightDeg = 42;
  input.light.sunHeadingDeg = 340;
  input.light.hazeDistance = 400;
  struct Discs {
    PointsPtr points;
    Array<float> color;
  };
  std::vector<Discs> discs;
  const auto addDiscs = [&](const PointsPtr& points, float value) {
    Array<float> color;
    color.assign(points->count, value);
    if (example.shows == Example::Shows::Order)
      for (std::size_t i = 0; i < points->count; ++i)
        color[i] = static_cast<float>(i) / static_cast<float>(points->count);
    if (example.shows == Example::Shows::Number)
      for (const auto& [name, column] : points->attributes) readNumbers(*points, name, 0, points->count, color.data());
    discs.push_back({points, std::move(color)});
  };
  if (kind.id == "set-down") addDiscs(hanging, 1);  // where they hung before
  input.grounds = {ground};
  const bool isAdjusting = kind.family == Family::Adjust || kind.family == Family::Dress ||
                           kind.family == Family::Deliver;
  if (const auto* s = std::get_if<SurfacePtr>(&outputs->front()); s && *s) {
    input.grounds = {*s};
    if (example.shows == Example::Shows::OnProps) input.grounds.push_back(ground);
  } else if (const auto* mask = std::get_if<MaskPtr>(&outputs->front());
             mask && example.shows == Example::Shows::PointMask) {
    Points sized = *many;
    Array<Vec3> size(sized.count);
    for (std::size_t i = 0; i < sized.count; ++i)
      size[i] = Vec3(0.4F + 1.2F * static_cast<float>(hashOf(sized.id[i], 5ULL) % 1000) / 1000);
    sized.size = std::move(size);
    const auto points = std::make_shared<const Points>(std::move(sized));
    discs.push_back({points, maskValues(task, **mask, *points)});
  } else if (mask) {
    input.groundMask = *mask;
  } else if (const auto* kit = std::get_if<KitPtr>(&outputs->front()); kit && *kit) {
    Points row;
    row.count = (*kit)->entries.size();
    Array<Vec3> position(row.count);
    Array<std::int32_t> prop(row.count);
    Array<std::uint64_t> id(row.count);
    for (std::size_t i = 0; i < row.count; ++i) {
      position[i] = Vec3((static_cast<float>(i) - 0.5F * static_cast<float>(row.count - 1)) * 4, 0, 0);
      prop[i] = static_cast<std::int32_t>(i);
      id[i] = i + 1;
    }
    row.position = std::move(position);
    row.prop = std::move(prop);
    row.id = std::move(id);
    row.size = Column<Vec3>(Vec3(5));
    row.kit = *kit;
    input.grounds = {
        std::make_shared<const Surface>(colored(makePlane(kExtent, kExtent * 0.7F, 2), {0.45F, 0.40F, 0.30F}))};
    input.layers.push_back({std::make_shared<const Points>(std::move(row))});
  } else {
    for (std::size_t o = 0; o < outputs->size(); ++o) {
      const auto* points = std::get_if<PointsPtr>(&(*outputs)[o]);
      if (!points || !*points || (*points)->count == 0) continue;
      if (isAdjusting && example.shows == Example::Shows::Usual) {
        if (o == 0) input.layers.push_back({dressed(*points)});
      } else {
        if (example.shows == Example::Shows::OnProps) input.layers.push_back({many});
        addDiscs(*points, outputs->size() > 2 ? static_cast<float>(o) / 3 : o == 0 ? 0.0F : 1.0F);
      }
    }
  }
  const auto scene = PictureScene::build(std::move(input), task);
  if (!scene) return {};
  Camera looking;
  looking.eye = Vec3(0.1F, 0.85F, 1);
  looking.fieldOfViewDeg = 30;
  Box3 box = (*scene)->bounds();
  const Camera fitted = cameraFitting(box, looking);
  Camera camera = fitted;
  camera.eye = camera.target + (camera.eye - camera.target) * 0.66F;  // the corners of a slope may leave the picture
  Film film(width, height);
  constexpr int kSamples = 16;
  while (film.samples < kSamples)
    if (!renderPass(**scene, camera, 1, film, task)) return {};
  Array<std::uint32_t> pixels(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  film.develop(pixels.data());
  for (auto it = discs.rbegin(); it != discs.rend(); ++it) {  // what stays is drawn last
    drawPoints(*it->points, it->color, camera, 2.4F, film, pixels.data());
  }
  return pixels;
}

}  // namespace arvesk
