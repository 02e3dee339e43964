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
  Result<VolumeFilePtr> volumes(const std::string&, const Task& task, std::vector<Problem>&) override {
    // A bank of fog, torn by noise.
    std::vector<IVec3> places;
    for (int i = 0; i < 6 * 2 * 4; ++i) places.push_back(IVec3(i % 6 - 3, i / 6 % 2, i / 12 - 2));
    const auto fill = [](const IVec3& first, float* values) {
      for (int i = 0; i < static_cast<int>(Density::kPerBrick); ++i) {
        const Vec3 p = 0.15F * Vec3(first + IVec3(i % 9, i / 9 % 9, i / 81));
        const float fade = 1 - glm::length(Vec3(p.x / 3.4F, (p.y - 1) / 1.0F, p.z / 2.2F));
        *values++ = std::max(0.0F, fade + 0.6F * gradientNoiseScalar(p.x * 1.3F, p.y * 1.3F, p.z * 1.3F, 5)) * 1.5F;
      }
      return true;
    };
    auto density = Density::filled(Density::Lattice::ofSize(0.15F), places, fill, {}, task);
    if (!density) return Failure(density.error());
    VolumeFile file;
    file.grids.push_back({"density", *density, nullptr, 0.15F, (*density)->voxelCount(), (*density)->bounds()});
    return std::make_shared<const VolumeFile>(std::move(file));
  }
  Result<ImagePtr> image(const std::string&, const Task&) override {
    Image image{64, 64, 1, 16, {}, {}};
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
    ctx.now = {30, 29.0 / 24, 29.0 / 120, 24, true};
    for (const auto& [id, value] : params) {
      const ParamSpec* spec = kind.findParam(id);
      ARVESK_ASSERT(spec && faultOf(*spec, value).empty(),
                    "an example names a parameter that the kind has, with a value it takes");
    }
    if (kind.remembers && kind.remembers(params)) {  // a while ago all stood west of where they are
      MemoryPtr before;
      ctx.after = &before;
      if (const auto earlier = kind.evaluate(ctx, movedWest(inputs), params); !earlier) return earlier;
      ctx.before = std::move(before);
      ctx.sinceBefore = 0.1;
      ctx.after = nullptr;
    }
    return kind.evaluate(ctx, inputs, params);
  }
  static Inputs movedWest(Inputs inputs) {
    for (auto& [id, links] : inputs.links)
      for (Inputs::Link& link : links)
        if (auto* points = std::get_if<PointsPtr>(&link.value)) {
          Points moved = **points;
          Array<Vec3> position = moved.position.copied(moved.count);
          for (Vec3& p : position) p.x -= 1.5F;
          moved.position = std::move(position);
          *points = std::make_shared<const Points>(std::move(moved));
        }
    return inputs;
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

std::string manualPage(const NodeKind& kind, bool hasPicture, const Wording& wording, const std::string& page) {
  const auto w = [&](const std::string& english) { return wording ? wording(english) : english; };
  std::string out = fmt::format("# {}\n\n", w(kind.label));
  if (hasPicture) out += fmt::format("![{}]({}.png)\n\n", w(kind.label), page.empty() ? kind.id : page);
  out += fmt::format("{}\n\n{}: {} · {}: `{}`\n\n", w(kind.help), w("Stage"), w(familyLabel(kind.family)),
                     w("in files"), kind.id);
  if (!kind.inputs.empty()) {
    out += fmt::format("## {}\n\n", w("In"));
    for (const InputSpec& in : kind.inputs) {
      std::string types = w(valueTypeName(in.type));
      for (const ValueType other : in.alsoTakes) types += fmt::format(" / {}", w(valueTypeName(other)));
      out += fmt::format("- **{}** ({}{}{}): {}\n", w(in.label), types, in.isMany ? w(", several") : "",
                         in.isOptional ? w(", optional") : "", w(in.help));
    }
    out += "\n";
  }
  out += fmt::format("## {}\n\n", w("Out"));
  for (const OutputSpec& o : kind.outputs) out += fmt::format("- **{}** ({})\n", w(o.label), w(valueTypeName(o.type)));
  if (kind.usesSeed)
    out += fmt::format("\n{}\n", w("It has a seed of its own, which can be locked against the plan's."));
  if (!kind.params.empty()) {
    out += fmt::format("\n## {}\n\n| {} | {} | {} |\n|---|---|---|\n", w("Parameters"), w("parameter"), w("default"),
                       w("meaning"));
    for (const ParamSpec& p : kind.params) {
      std::string options;
      for (const Option& o : p.options) options += (options.empty() ? " " + w("Options: ") : ", ") + w(o.label);
      out += fmt::format("| {} | {} | {}{} |\n", cell(w(p.label)), cell(defaultText(p)), cell(w(p.help)),
                         cell(options));
    }
  }
  std::string cannot;
  if (!kind.exemptions.nestsInAmount)
    cannot += fmt::format("- {}\n", w("changing its amount may move points that stay, not only add or take away"));
  if (!kind.exemptions.isLocal)
    cannot += fmt::format("- {}\n", w("an edit in one place may show farther away than its reach"));
  if (!cannot.empty()) out += fmt::format("\n## {}\n\n{}", w("What it cannot keep"), cannot);
  return out;
}

std::string manualIndex(const Wording& wording, const std::vector<ManualEntry>& more) {
  const auto w = [&](const std::string& english) { return wording ? wording(english) : english; };
  std::string out = fmt::format(
      "# {}\n\n{}\n", w("Nodes"),
      w("One page per node, made by `arvesk-run nodes --manual` from the declarations in `core/nodes`. In the "
        "application F1 opens the page of the selected node."));
  const Family* before = nullptr;
  const auto add = [&](const NodeKind& kind, const std::string& page) {
    if (!before || *before != kind.family) out += fmt::format("\n## {}\n\n", w(familyLabel(kind.family)));
    before = &kind.family;
    const std::string help = w(kind.help);
    out += fmt::format("- [{}]({}.md): {}\n", w(kind.label), page,
                       help.substr(0, help.find(". ")) + (help.find(". ") == std::string::npos ? "" : "."));
  };
  for (const NodeKind* kind : allNodeKinds()) add(*kind, kind->id);
  for (const ManualEntry& entry : more) add(*entry.kind, entry.page);
  return out;
}

namespace {

/// What stands at the inputs of an example.
struct ExampleInputs {
  SurfacePtr ground;
  SurfacePtr body;    // closed, over the ground
  PointsPtr many;     // the points that are worked on
  PointsPtr few;      // those that are referred to
  PointsPtr hanging;  // the many, above the ground
};

PointsPtr lifted(const PointsPtr& points) {
  Points p = *points;
  Array<Vec3> position(p.count);
  for (std::size_t i = 0; i < p.count; ++i)
    position[i] = p.position[i] + kUp * (1.2F + 1.6F * static_cast<float>(hashOf(p.id[i], 5ULL) % 1000) / 1000);
  p.position = std::move(position);
  return std::make_shared<const Points>(std::move(p));
}

/// The same points in many sizes.
PointsPtr sized(const PointsPtr& points) {
  Points p = *points;
  Array<Vec3> size(p.count);
  for (std::size_t i = 0; i < p.count; ++i)
    size[i] = Vec3(0.4F + 1.2F * static_cast<float>(hashOf(p.id[i], 5ULL) % 1000) / 1000);
  p.size = std::move(size);
  return std::make_shared<const Points>(std::move(p));
}

/// A kit's props side by side; pieces of a body where they belong, pulled apart.
PointsPtr shownKit(const KitPtr& kit) {
  Points row;
  row.count = kit->entries.size();
  const bool arePieces = std::any_of(kit->entries.begin(), kit->entries.end(),
                                     [](const KitEntry& e) { return e.prop->home.position != Vec3(0); });
  Array<Vec3> position(row.count);
  Array<std::int32_t> prop(row.count);
  Array<std::uint64_t> id(row.count);
  for (std::size_t i = 0; i < row.count; ++i) {
    position[i] = arePieces ? 1.4F * kit->entries[i].prop->home.position
                            : Vec3((static_cast<float>(i) - 0.5F * static_cast<float>(row.count - 1)) * 4, 0, 0);
    prop[i] = static_cast<std::int32_t>(i);
    id[i] = i + 1;
  }
  row.position = std::move(position);
  row.prop = std::move(prop);
  row.id = std::move(id);
  row.size = Column<Vec3>(Vec3(arePieces ? 1.0F : 5.0F));
  row.kit = kit;
  return std::make_shared<const Points>(std::move(row));
}

Inputs inputsOf(const NodeKind& kind, const ExampleInputs& given) {
  const KindExample& example = kind.example;
  const MaskPtr noise = makeNoiseMask({4, 2, 0.5F, 2.2F, Vec3(1), Vec3(0), NoiseForm::Plain, 9}, {0, 1, 1, 1}, {});
  Inputs in;
  for (const InputSpec& spec : kind.inputs) {
    if (spec.isOptional && std::find(example.joins.begin(), example.joins.end(), spec.id) == example.joins.end())
      continue;
    std::vector<Inputs::Link>& links = in.links[spec.id];
    const bool isMain = &spec == &kind.inputs.front() && kind.family != Family::Scatter && kind.family != Family::Mask;
    switch (spec.type) {
      case ValueType::Surface:
        if (example.hasBodies) {
          links.push_back({given.body, 1});
          break;
        }
        links.push_back({given.ground, 1});
        if (spec.isMany)
          links.push_back(
              {std::make_shared<const Surface>(transformed(colored(makeBall(2.2F, 24), {0.45F, 0.42F, 0.38F}),
                                                           Vec3(2, 1.2F, 0), Quat(1, 0, 0, 0), 1)),
               2});
        break;
      case ValueType::Mask: links.push_back({noise, 1}); break;
      case ValueType::Kit: links.push_back({exampleKit(), 1}); break;
      case ValueType::Volume:
        links.push_back({makeSolid({given.body}, {}, {}).value_or(nullptr), 1});
        if (spec.isMany)
          links.push_back({makeSolid({std::make_shared<const Surface>(
                                         transformed(*given.body, Vec3(3, 1.5F, 1), Quat(1, 0, 0, 0), 0.8F))},
                                     {}, {})
                               .value_or(nullptr),
                           2});
        break;
      case ValueType::Points:
        links.push_back({!isMain ? given.few : example.isHanging ? given.hanging : given.many, 1});
        break;
    }
  }
  return in;
}

/// What is drawn: a scene, and discs on it.
struct ExamplePicture {
  const KindExample& example;
  PictureInput input;
  struct Discs {
    PointsPtr points;
    Array<float> color;
  };
  std::vector<Discs> discs;

  void addDiscs(const PointsPtr& points, float value) {
    Array<float> color;
    color.assign(points->count, value);
    if (example.shows == ExampleShows::Order)
      for (std::size_t i = 0; i < points->count; ++i)
        color[i] = static_cast<float>(i) / static_cast<float>(points->count);
    if (example.shows == ExampleShows::Number)
      for (const auto& [name, column] : points->attributes) readNumbers(*points, name, 0, points->count, color.data());
    discs.push_back({points, std::move(color)});
  }

  void addOutputs(const NodeKind& kind, const Outputs& outputs, const ExampleInputs& given, const Task& task) {
    if (const auto* volume = std::get_if<VolumePtr>(&outputs.front()); volume && *volume) {
      if (const DensityPtr density = (*volume)->density(task))
        input.hazes = {density}, input.grounds = {given.ground};
      else if (const SurfacePtr skin = skinOf(**volume, task))
        input.grounds = {skin};
    } else if (const auto* s = std::get_if<SurfacePtr>(&outputs.front()); s && *s) {
      input.grounds = {*s};
      if (example.shows == ExampleShows::OnProps) input.grounds.push_back(given.ground);
    } else if (const auto* mask = std::get_if<MaskPtr>(&outputs.front());
               mask && example.shows == ExampleShows::PointMask) {
      const PointsPtr points = sized(given.many);
      discs.push_back({points, maskValues(task, **mask, *points)});
    } else if (mask) {
      input.groundMask = *mask;
    } else if (const auto* kit = std::get_if<KitPtr>(&outputs.front()); kit && *kit) {
      input.grounds = {
          std::make_shared<const Surface>(colored(makePlane(kExtent, kExtent * 0.7F, 2), {0.45F, 0.40F, 0.30F}))};
      input.layers.push_back({shownKit(*kit)});
    } else {
      addPoints(kind, outputs, given);
    }
  }

  void addPoints(const NodeKind& kind, const Outputs& outputs, const ExampleInputs& given) {
    const bool isAdjusting = kind.family == Family::Adjust || kind.family == Family::Dress ||
                             kind.family == Family::Deliver;
    for (std::size_t o = 0; o < outputs.size(); ++o) {
      const auto* points = std::get_if<PointsPtr>(&outputs[o]);
      if (!points || !*points || (*points)->count == 0) continue;
      if (isAdjusting && example.shows == ExampleShows::Usual) {
        if (o == 0) input.layers.push_back({dressed(*points)});
      } else {
        if (example.shows == ExampleShows::OnProps) input.layers.push_back({given.many});
        addDiscs(*points, outputs.size() > 2 ? static_cast<float>(o) / 3 : o == 0 ? 0.0F : 1.0F);
      }
    }
  }

  Array<std::uint32_t> rendered(int width, int height, const Task& task) {
    const auto scene = PictureScene::build(std::move(input), task);
    if (!scene) return {};
    Camera looking;
    looking.eye = Vec3(0.1F, 0.85F, 1);
    looking.fieldOfViewDeg = 30;
    Camera camera = cameraFitting((*scene)->bounds(), looking);
    camera.eye = camera.target + (camera.eye - camera.target) * 0.66F;  // a slope's corners may leave the picture
    const auto film = tracedFilm(**scene, camera, width, height, 16, task);
    if (!film) return {};
    Array<std::uint32_t> pixels(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    film->develop(pixels.data());
    for (auto it = discs.rbegin(); it != discs.rend(); ++it)  // what stays is drawn last
      drawPoints(*it->points, it->color, camera, 2.4F, *film, pixels.data());
    return pixels;
  }
};

}  // namespace

Array<std::uint32_t> manualPicture(const NodeKind& kind, int width, int height, const Task& task) {
  const KindExample& example = kind.example;
  Runner runner{task, {}, {}, {}, {}, 0};
  for (const KitEntry& e : exampleKit()->entries) runner.props.push_back(e.prop);
  ExampleInputs given;
  given.ground = std::make_shared<const Surface>(slope(example.groundDivisions));
  given.body = std::make_shared<const Surface>(
      transformed(colored(makeTorus(4, 1.6F, 48), {0.45F, 0.42F, 0.38F}), Vec3(0, 2.2F, 0), Quat(1, 0, 0, 0), 1));
  given.many = runner.sown(given.ground, example.spacing, example.spacing / 2, 21);
  if (example.shows == ExampleShows::OnProps) given.many = dressed(given.many);
  given.few = runner.sown(given.ground, example.patchSpacing, 1.7, 22);
  given.hanging = lifted(given.many);
  ParamMap params = example.params;
  if (kind.settingsFor) params.merge(kind.settingsFor(*given.many));
  auto outputs = runner.run(kind, inputsOf(kind, given), params, 23);
  if (outputs && example.isSetDown) {
    Inputs moved;
    moved.links["points"].push_back({outputs->front(), 1});
    moved.links["ground"].push_back({given.ground, 2});
    if (auto down = runner.run(*findNodeKind("set-down"), moved, {}, 24)) outputs->front() = down->front();
  }
  if (!outputs || task.isCancelled()) return {};
  ExamplePicture picture{example, {}, {}};
  picture.input.light.sunHeightDeg = 42;
  picture.input.light.sunHeadingDeg = 340;
  picture.input.light.hazeDistance = 400;
  picture.input.grounds = {given.ground};
  if (example.isHanging) picture.addDiscs(given.hanging, 1);  // where they hung before
  picture.addOutputs(kind, *outputs, given, task);
  return picture.rendered(width, height, task);
}

}  // namespace arvesk
