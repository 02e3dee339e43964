#include "tests/support/kinds.h"

namespace arvesk::test {
namespace {

/// The same points with props, for kinds that ask for some.
PointsPtr dressedOf(const PointsPtr& points) {
  Bench bench;
  bench.ctx.nodeUid = hashText("the dresser");
  return bench.points("dress", inputs({{"points", points}, {"kit", someKit()}}));
}

}  // namespace

const SurfacePtr& ground() {
  static const SurfacePtr g = hills(48, 40, 5);
  return g;
}

namespace {
const SurfacePtr& ballOnGround() {
  static const SurfacePtr ball = std::make_shared<const Surface>(
      transformed(makeBall(8, 24), Vec3(4, 1, 2), Quat(1, 0, 0, 0), 1));
  return ball;
}
}  // namespace

VolumePtr bodyOnGround() {
  static const VolumePtr body = makeSolid({ballOnGround()}, {}, {}).value();
  return body;
}

PointsPtr pointsOnGround() {
  static const PointsPtr points = [] {
    Bench bench;
    const PointsPtr sown = bench.points("sow-on-surface", inputs({{"surface", ground()}}),
                                        {{"density", 3.0}, {"footprint", 0.3}});
    return sown;
  }();
  return points;
}

namespace {
/// Pieces of some kit, in three ways each: what At home is for.
KitPtr brokenKit() {
  static const KitPtr kit = [] {
    Bench bench;
    const auto out = bench.run("break-up", inputs({{"body", someKit()}}), {{"count", 5.0}, {"variants", 3.0}});
    ARVESK_ASSERT(out, "some props are closed bodies");
    return std::get<KitPtr>(out->front());
  }();
  return kit;
}
}  // namespace

Inputs inputsFor(const NodeKind& kind, const PointsPtr& points) {
  Inputs in;
  for (const InputSpec& spec : kind.inputs) {
    Value value;
    switch (spec.type) {
      case ValueType::Surface: value = kind.example.hasBodies ? ballOnGround() : ground(); break;
      case ValueType::Points: value = spec.needsProps ? dressedOf(points) : points; break;
      case ValueType::Mask: value = rampMask(4); break;
      case ValueType::Kit: value = kind.id == "at-home" ? brokenKit() : someKit(); break;
      case ValueType::Volume: value = bodyOnGround(); break;
    }
    const auto& leaves = kind.trial.leaves;
    if (std::find(leaves.begin(), leaves.end(), spec.id) != leaves.end()) continue;
    in.links[spec.id].push_back({value, hashText(spec.id)});
    if (spec.isMany && spec.type == ValueType::Points) {
      // A second set with ids of its own.
      Bench other;
      other.ctx.nodeUid = hashText("another node");
      in.links[spec.id].push_back({other.points("sow-on-surface", inputs({{"surface", ground()}}), {{"density", 0.5}}),
                                   hashText("second slot")});
    }
  }
  return in;
}

std::vector<ParamMap> choicesOf(const NodeKind& kind) {
  std::vector<ParamMap> all{kind.trial.params};
  if (kind.settingsFor) all.push_back(kind.settingsFor(*pointsOnGround()));
  const auto with = [&](const ParamSpec& spec, const ParamValue& value) {
    const auto tried = kind.trial.params.find(spec.id);
    if (value == (tried == kind.trial.params.end() ? spec.defaultValue : tried->second)) return;  // the trial itself
    all.push_back(kind.trial.params);
    all.back()[spec.id] = value;
  };
  for (const ParamSpec& spec : kind.params) {
    if (spec.type == ParamType::Choice)
      for (const Option& o : spec.options) with(spec, o.id);
    if (spec.type == ParamType::Toggle)
      for (const bool on : {false, true}) with(spec, on);
  }
  return all;
}

std::vector<std::uint64_t> fingerprint(const Value& value) {
  std::vector<std::uint64_t> out;
  const auto add = [&](float v) {
    std::uint32_t bits;
    std::memcpy(&bits, &v, sizeof v);
    out.push_back(bits);
  };
  if (const auto* points = std::get_if<PointsPtr>(&value)) {
    const Points& p = **points;
    for (std::size_t i = 0; i < p.count; ++i) {
      out.push_back(p.id[i]);
      out.push_back(static_cast<std::uint64_t>(p.prop[i]));
      for (int a = 0; a < 3; ++a) {
        add(p.position[i][a]);
        add(p.size[i][a]);
        add(p.groundNormal[i][a]);
      }
      for (const auto& [name, column] : p.attributes) {
        if (const auto* number = std::get_if<Column<float>>(&column)) add((*number)[i]);
        if (const auto* ids = std::get_if<Column<std::uint64_t>>(&column)) out.push_back((*ids)[i]);
        if (const auto* words = std::get_if<TextColumn>(&column)) out.push_back(hashText(words->at(i)));
        if (const auto* vector = std::get_if<Column<Vec3>>(&column))
          for (int a = 0; a < 3; ++a) add((*vector)[i][a]);
      }
      for (const float q : {p.orientation[i].w, p.orientation[i].x, p.orientation[i].y, p.orientation[i].z,
                            p.footprint[i], p.groundUv[i].x, p.groundUv[i].y, p.levelOf(i)})
        add(q);
      out.push_back(p.groundFace[i]);
      if (p.kit && p.prop[i] != kNoProp)
        out.push_back(hashText(p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->uid));
    }
  }
  if (const auto* surface = std::get_if<SurfacePtr>(&value)) {
    const Surface& s = **surface;
    const auto addAll = [&](const auto& values, int parts) {
      for (const auto& v : values)
        for (int a = 0; a < parts; ++a) add(v[a]);
    };
    addAll(s.positions, 3);
    addAll(s.normals, 3);
    addAll(s.uvs, 2);
    addAll(s.colors, 4);
    for (std::size_t f = 0; f < s.faceCount(); ++f) {
      for (int a = 0; a < 3; ++a) out.push_back(s.triangles[f][a]);
      out.push_back(s.faceKey(f));
      out.push_back(s.faceParts.empty() ? 0 : hashText(s.parts[s.faceParts[f]]));
      out.push_back(hashText(s.materialOf(f).name));
    }
    for (std::size_t v = 0; v < s.positions.size(); ++v) out.push_back(s.vertexKey(v));
  }
  if (const auto* mask = std::get_if<MaskPtr>(&value)) {
    const PointsPtr p = pointsOnGround();
    for (const float v : maskValues({}, **mask, *p)) add(v);
  }
  if (const auto* volume = std::get_if<VolumePtr>(&value)) {
    const auto depth = depthOf(*volume, {});
    const Box3 box = (*volume)->bounds();
    for (int i = 0; i < 1000; ++i) {
      const Vec3 at = box.min + box.extent() * (Vec3(i % 10, i / 10 % 10, i / 100) + 0.5F) / 10.0F;
      out.push_back((*volume)->isInside(at));
      add(depth->at(at).meters);
    }
  }
  if (const auto* kit = std::get_if<KitPtr>(&value))
    for (const KitEntry& e : (*kit)->entries) {
      out.push_back(hashText(e.prop->uid));
      add(e.weight);
    }
  return out;
}

std::vector<std::uint64_t> fingerprint(const Outputs& outputs) {
  std::vector<std::uint64_t> all;
  for (const Value& v : outputs)
    for (const std::uint64_t n : fingerprint(v)) all.push_back(n);
  return all;
}

}  // namespace arvesk::test
