// On props: points on every placement of some props: at mount points, over their mesh, or one per named part.
#include "core/base/pattern.h"
#include "core/geometry/file_parts.h"
#include "core/nodes/dress/prop_samples.h"
#include "core/nodes/face_rule.h"
#include "core/nodes/registry.h"
#include "core/nodes/rendezvous.h"
#include "core/nodes/scatter/children.h"
#include "core/nodes/scatter/draft_share.h"
#include "core/props/quantities.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

enum class At { Mounts, Even, Faces, Vertices, Parts };
enum class SpacingIn { Prop, World };
enum class SizeFrom { One, Placement };
struct Params : DraftShare, FaceRule {
  Params() { inDraft = InDraft::Own; }  // what it goes on is thinned already
  At at = At::Even;
  std::string names = "mount_*";
  float spacing = 0.25F;
  SpacingIn spacingIn = SpacingIn::World;
  int variants = 4;
  SizeFrom size = SizeFrom::One;
  float footprint = 0.05F;
  bool carriesPlace = false;
  bool isSizedByMount = true;
};

/// In world meters a placement of twice the size holds the finer of these sets. Sizes are classed, each axis by itself,
/// and always to the smaller one, so that no two points of a placement are closer than asked: by eighths of an octave
/// where all axes are alike, by quarters where they are not (there are more of them then).
struct SizeClass {
  std::array<std::int16_t, 3> of{0, 0, 0};
  bool isEven = true;
  auto operator<=>(const SizeClass&) const = default;
  Vec3 size() const {
    const float perOctave = isEven ? 8 : 4;
    return {std::exp2(of[0] / perOctave), std::exp2(of[1] / perOctave), std::exp2(of[2] / perOctave)};
  }
};
SizeClass sizeClassOf(const Vec3& size) {
  const Vec3 s = glm::max(glm::abs(size), Vec3(1e-6F));
  SizeClass out;
  out.isEven = std::abs(s.x - s.y) < 1e-4F * s.x && std::abs(s.x - s.z) < 1e-4F * s.x;
  for (int axis = 0; axis < 3; ++axis)  // a hair of slack: a size that is a class's own is in it
    out.of[static_cast<std::size_t>(axis)] = static_cast<std::int16_t>(
        std::floor(std::log2(s[axis]) * (out.isEven ? 8 : 4) + 1e-4F));
  return out;
}

struct Parts {
  KitPtr kit;                      // one prop per named part
  std::vector<std::string> names;  // of mount points or parts
};

class Sampler {
 public:
  Sampler(const EvalContext& ctx, const Params& p) : m_ctx(ctx), m_p(p), m_variant(ctx.draw("variant")) {
    for (int k = 0; k < p.variants; ++k) m_variant.add(hashOf(static_cast<std::uint64_t>(k)), 1);
  }

  /// Which of a prop's sets a placement gets.
  struct Key {
    const Prop* prop;
    int variant;
    SizeClass sizeClass;
    auto operator<=>(const Key&) const = default;
  };
  Key keyOf(const Prop* prop, std::uint64_t id, const Vec3& size) const {
    if (m_p.at != At::Even) return {prop, 0, {}};
    return {prop, m_variant.chosen(id), m_p.spacingIn == SpacingIn::World ? sizeClassOf(size) : SizeClass()};
  }

  PropSampleList make(const Key& key, std::vector<std::string>& names, Kit& parts,
                      std::vector<std::int32_t>& partOfName) const {
    const Prop& prop = *key.prop;
    if (m_p.at == At::Mounts) return mounts(prop, names);
    if (m_p.at == At::Parts) return namedParts(prop, names, parts, partOfName);
    const SampleOf of = m_p.at == At::Faces      ? SampleOf::Faces
                        : m_p.at == At::Vertices ? SampleOf::Vertices
                                                 : SampleOf::Even;
    return samplesOf(m_ctx, *prop.surface, of, m_p, m_p.spacing, key.sizeClass.size(),
                     hashOf(hashText(prop.uid), static_cast<std::uint64_t>(key.variant)));
  }

  std::vector<std::string> offered() const { return {m_offered.begin(), m_offered.end()}; }
  const Patterns& patterns() const { return m_patterns; }

 private:
  static std::uint32_t placeOf(std::vector<std::string>& names, const std::string& name) {
    const auto it = std::find(names.begin(), names.end(), name);
    if (it != names.end()) return static_cast<std::uint32_t>(it - names.begin());
    names.push_back(name);
    return static_cast<std::uint32_t>(names.size() - 1);
  }

  PropSampleList mounts(const Prop& prop, std::vector<std::string>& names) const {
    PropSampleList out;
    std::map<std::string, int> used;
    for (const SceneNode& m : prop.mounts) {
      const int n = ++used[m.name];
      m_offered.insert(m.name);
      if (!m_patterns.match(m.name)) continue;
      out.push_back({m.position, m.turn, m.size, m.turn * kUp, Vec2(0),
                     hashOf(hashText(m.name), static_cast<std::uint64_t>(n)), placeOf(names, m.name)});
    }
    return out;
  }

  PropSampleList namedParts(const Prop& prop, std::vector<std::string>& names, Kit& parts,
                            std::vector<std::int32_t>& partOfName) const {
    PropSampleList out;
    std::map<std::string, std::uint64_t> used;
    for (const Surface& part : partsOf(*prop.surface)) {
      const std::string name = part.name.empty() ? prop.name : part.name;  // a file may name nothing
      const std::uint64_t n = used[name]++;                                // or two parts alike
      m_offered.insert(name);
      if (!m_patterns.match(name)) continue;
      // A piece turns and sizes about its own middle.
      const Vec3 home = part.bounds().center();
      const std::string whole = n == 0 ? prop.name + "/" + name : fmt::format("{}/{} {}", prop.name, name, n + 1);
      names.push_back(name);
      partOfName.push_back(static_cast<std::int32_t>(parts.entries.size()));
      parts.entries.push_back({makeProp(fmt::format("{}/{}/{}", prop.uid, n, name), whole,
                                        std::make_shared<const Surface>(transformed(part, -home, Quat(1, 0, 0, 0), 1))),
                               1});
      out.push_back({home, Quat(1, 0, 0, 0), Vec3(1), kUp, Vec2(0), hashOf(hashText(name), n),
                     static_cast<std::uint32_t>(names.size() - 1)});
    }
    return out;
  }

  const EvalContext& m_ctx;
  const Params& m_p;
  Rendezvous m_variant;  // one more takes only its share
  Patterns m_patterns{m_p.names};
  mutable std::set<std::string> m_offered;  // names of mount points or parts that were looked at
};

/// The numbers and colors of the props' meshes, as they lie at each sample; props that lack one give 0.
void takeMeshAttributes(Points& out, const std::vector<std::pair<const Surface*, const PropSample*>>& from) {
  std::set<std::string> names;
  bool hasColors = false;
  const Surface* last = nullptr;
  for (const auto& [surface, sample] : from) {
    if (surface == last) continue;
    last = surface;
    hasColors = hasColors || !surface->colors.empty();
    for (const auto& [name, column] : surface->vertexAttributes)
      if (const auto* numbers = std::get_if<Column<float>>(&column); numbers && !numbers->isConstant())
        names.insert(name);
  }
  const auto isOnMesh = [](const PropSample& s) { return s.face != kNoFace; };
  for (const std::string& name : names) {
    Array<float> values(out.count);
    parallelPieces({}, out.count, 8192, [&](std::size_t begin, std::size_t end) {
      for (std::size_t c = begin; c < end; ++c) {
        const auto& [surface, sample] = from[c];
        const auto* numbers = columnOf<Column<float>>(surface->vertexAttributes, name);
        values[c] = numbers && isOnMesh(*sample)
                        ? Surface::between(*numbers, surface->triangles[sample->face], sample->weights)
                        : 0.0F;
      }
    });
    out.attributes.insert_or_assign(name, Column<float>(std::move(values)));
  }
  if (!hasColors) return;
  Array<Vec3> colors(out.count);
  parallelPieces({}, out.count, 8192, [&](std::size_t begin, std::size_t end) {
    for (std::size_t c = begin; c < end; ++c) {
      const auto& [surface, sample] = from[c];
      colors[c] = surface->colors.empty() || !isOnMesh(*sample)
                      ? Vec3(1)
                      : Vec3(Surface::between(surface->colors, surface->triangles[sample->face], sample->weights));
    }
  });
  out.attributes.insert_or_assign("color", Column<Vec3>(std::move(colors)));
}

/// Which placements carry samples, and which set each of them carries.
struct Parents {
  Array<std::uint32_t> point;
  Array<std::uint32_t> set;
  std::vector<std::pair<Sampler::Key, std::size_t>> sets;  // in order of names, with their number
};

Parents parentsOf(const Points& points, const KitPtr& of, const Sampler& sampler) {
  std::vector<std::uint8_t> isWanted(points.kit ? points.kit->entries.size() : 0, of ? 0 : 1);
  if (of)
    for (std::size_t k = 0; k < isWanted.size(); ++k)
      isWanted[k] = std::any_of(of->entries.begin(), of->entries.end(),
                                [&](const KitEntry& e) { return e.prop->uid == points.kit->entries[k].prop->uid; });
  Parents out;
  std::map<Sampler::Key, std::size_t> setOf;
  for (std::size_t i = 0; i < points.count; ++i) {
    const std::int32_t prop = points.prop[i];
    if (prop == kNoProp || !isWanted[static_cast<std::size_t>(prop)]) continue;
    const Sampler::Key key = sampler.keyOf(points.kit->entries[static_cast<std::size_t>(prop)].prop.get(), points.id[i],
                                           points.size[i]);
    out.point.push_back(static_cast<std::uint32_t>(i));
    out.set.push_back(static_cast<std::uint32_t>(setOf.emplace(key, setOf.size()).first->second));
  }
  // By name, so that the list of names does not depend on where a kit's props lie in memory.
  out.sets.assign(setOf.begin(), setOf.end());
  std::sort(out.sets.begin(), out.sets.end(), [](const auto& a, const auto& b) {
    return std::tie(a.first.prop->uid, a.first.variant, a.first.sizeClass) <
           std::tie(b.first.prop->uid, b.first.variant, b.first.sizeClass);
  });
  return out;
}

/// The samples of each set, each made once, and the names of mount points or parts that they call theirs.
struct Sets {
  std::vector<PropSampleList> samples;
  std::vector<std::string> names;
  std::shared_ptr<Kit> parts = std::make_shared<Kit>();
  std::vector<std::int32_t> partOfName;
};

/// Even sets of large props at a small spacing are what explodes: told before any is made, of all sets together and of
/// all placements that carry them.
Result<void> guardEvenSets(const EvalContext& ctx, const Params& p, const Parents& parents) {
  const std::string advice = "Raise the spacing, or thin the placements";
  std::vector<double> inSet(parents.sets.size());
  double made = 0;
  for (const auto& [key, place] : parents.sets) {
    const Vec3 size = key.sizeClass.size();
    const double area = areaTableOf(*key.prop->surface)->total *
                        std::pow(static_cast<double>(std::max({size.x, size.y, size.z})), 2.0);
    // Places that are kept apart by a spacing, with no room left for more, cover 0.55 of the plane with disks of half
    // of it (random sequential addition; Feder 1980), which is 0.7 to a square of the spacing.
    inSet[place] = 0.65 * area / (static_cast<double>(p.spacing) * static_cast<double>(p.spacing));
    made += inSet[place];
  }
  if (auto ok = guardPoints(ctx, made, advice); !ok) return ok;
  double placed = 0;
  for (const std::uint32_t set : parents.set) placed += inSet[set];
  return guardPoints(ctx, placed * static_cast<double>(ctx.draftShare), advice);
}

Result<Sets> makeSets(const EvalContext& ctx, const Params& p, const Sampler& sampler, const Parents& parents) {
  Sets out;
  out.samples.resize(parents.sets.size());
  const bool isNamed = p.at == At::Mounts || p.at == At::Parts;
  if (p.at == At::Even)
    if (auto ok = guardEvenSets(ctx, p, parents); !ok) return Failure(ok.error());
  for (const auto& [key, place] : parents.sets) {
    if (ctx.task.isCancelled()) return Failure(cancelled());
    if (isNamed) out.samples[place] = sampler.make(key, out.names, *out.parts, out.partOfName);
  }
  if (!isNamed)  // no names are collected: each set on its own
    parallelPieces(ctx.task, parents.sets.size(), 1, [&](std::size_t begin, std::size_t end) {
      for (std::size_t k = begin; k < end; ++k)
        out.samples[parents.sets[k].second] = sampler.make(parents.sets[k].first, out.names, *out.parts,
                                                           out.partOfName);
    });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return out;
}

/// Where the children of each placement begin; one more at the end.
Array<std::size_t> startsOf(const EvalContext& ctx, const Points& points, const Parents& parents, const Sets& sets,
                            const DraftTest& draft) {
  Array<std::size_t> start(parents.point.size() + 1);
  start[0] = 0;
  for (std::size_t k = 0; k < parents.point.size(); ++k) {
    const PropSampleList& set = sets.samples[parents.set[k]];
    const std::uint64_t parent = points.id[parents.point[k]];
    start[k + 1] = start[k] +
                   (draft.isWhole()
                        ? set.size()
                        : static_cast<std::size_t>(std::count_if(set.begin(), set.end(), [&](const PropSample& s) {
                            return draft.holds(ctx.idOf(parent, s.code));
                          })));
  }
  return start;
}

/// What is known of each child beside its place.
struct Children {
  Array<std::uint32_t> parent;                                     // the placement's point
  Array<std::uint32_t> name;                                       // into the sets' names; empty when there are none
  std::vector<std::pair<const Surface*, const PropSample*>> from;  // mesh and sample; empty when nobody asks
};

/// Is anything taken from the mesh or the sample besides the place?
bool isFromAsked(const Params& p, const Parents& parents) {
  return p.at == At::Parts || p.carriesPlace || (p.at == At::Mounts && p.isSizedByMount) ||
         std::any_of(parents.sets.begin(), parents.sets.end(), [](const auto& set) {
           const Surface& s = *set.first.prop->surface;
           return !s.colors.empty() || !s.vertexAttributes.empty();
         });
}

/// Every placement carries its set along: all side by side.
Points placed(const EvalContext& ctx, const Points& points, const Params& p, const Parents& parents, const Sets& sets,
              const DraftTest& draft, const Array<std::size_t>& start, Children& children) {
  const std::size_t count = start.back();
  Array<Vec3> position(count);
  Array<Quat> orientation(count);
  Array<Vec3> normal(count);
  Array<Vec2> uv(count);
  Array<std::uint64_t> id(count);
  children.name.resize(sets.names.empty() ? 0 : count);
  children.parent.resize(count);
  if (isFromAsked(p, parents)) children.from.resize(count);
  parallelPieces(ctx.task, parents.point.size(), 256, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const std::uint32_t i = parents.point[k];
      const Vec3 at = points.position[i];
      const Quat turn = points.orientation[i];
      const Vec3 size = points.size[i];
      const bool isEven = size.x == size.y && size.y == size.z && size.x > 0;
      std::size_t c = start[k];
      for (const PropSample& sample : sets.samples[parents.set[k]]) {
        const std::uint64_t child = ctx.idOf(points.id[i], sample.code);
        if (!draft.holds(child)) continue;
        position[c] = at + turn * (size * sample.place);
        // Under uneven and mirrored sizes a normal goes by the inverse, and the front where the mesh's own goes. Pieces
        // have their owner's turn and size: that says it all.
        const bool isCarried = isEven || p.at == At::Parts;
        const Vec3 bent = isCarried ? sample.normal : directionOr(sample.normal / size, sample.normal);
        normal[c] = turn * bent;
        bool isParallel = false;
        orientation[c] = glm::normalize(
            turn * (isCarried ? sample.turn : turnFacing(bent, size * (sample.turn * Vec3(0, 0, 1)), isParallel)));
        uv[c] = sample.uv;
        id[c] = child;
        if (!children.name.empty()) children.name[c] = sample.name;
        children.parent[c] = i;
        if (!children.from.empty())
          children.from[c] = {points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->surface.get(),
                              &sample};
        ++c;
      }
    }
  });
  Points out;
  out.count = count;
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.groundNormal = std::move(normal);
  out.groundUv = std::move(uv);
  out.id = std::move(id);
  out.footprint = Column<float>(p.footprint);
  return out;
}

/// Where each sits on its prop, as the prop knows it: place and normal at size 1, part and material.
void takePlaceOnProp(Points& out, const Children& children) {
  Array<Vec3> place(out.count);
  Array<Vec3> normal(out.count);
  const auto names = [&](const char* attribute, const auto& nameOf) {
    auto known = std::make_shared<std::vector<std::string>>();
    std::map<std::string, std::uint32_t> number;
    Array<std::uint32_t> index(out.count);
    for (std::size_t c = 0; c < out.count; ++c) {
      const auto& [surface, sample] = children.from[c];
      const auto [it, isNew] = number.emplace(sample->face == kNoFace ? std::string() : nameOf(*surface, sample->face),
                                              static_cast<std::uint32_t>(known->size()));
      if (isNew) known->push_back(it->first);
      index[c] = it->second;
    }
    out.attributes.insert_or_assign(attribute, TextColumn{known, Column<std::uint32_t>(std::move(index))});
  };
  for (std::size_t c = 0; c < out.count; ++c) {
    place[c] = children.from[c].second->place;
    normal[c] = children.from[c].second->normal;
  }
  out.attributes.insert_or_assign(kPropPlace, Column<Vec3>(std::move(place)));
  out.attributes.insert_or_assign(kPropNormal, Column<Vec3>(std::move(normal)));
  names("part", [](const Surface& s, std::uint32_t f) {
    const std::size_t part = s.faceParts.empty() ? 0 : s.faceParts[f];
    return part < s.parts.size() ? s.parts[part] : std::string();
  });
  names("material",
        [](const Surface& s, std::uint32_t f) { return s.materials.empty() ? std::string() : s.materialOf(f).name; });
}

/// Pieces are props of their own, with their footprint and their home in the owner.
void dressPieces(Points& out, const Sets& sets, const Children& children) {
  Array<std::int32_t> prop(out.count);
  Array<float> footprint(out.count);
  Array<Vec3> home(out.count);
  for (std::size_t c = 0; c < out.count; ++c) {
    prop[c] = sets.partOfName[children.name[c]];
    footprint[c] = sets.parts->entries[static_cast<std::size_t>(prop[c])].prop->footprint;
    home[c] = children.from[c].second->place;
  }
  out.attributes.insert_or_assign("home", Column<Vec3>(std::move(home)));
  out.kit = sets.parts;
  out.prop = std::move(prop);
  out.footprint = std::move(footprint);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  if (!points.kit && points.count > 0)
    return fail(ProblemCode::WrongInput, "the points have no props yet", "Put Dress before this node");
  const Sampler sampler(ctx, p);
  const Parents parents = parentsOf(points, in.kit("of"), sampler);
  const auto sets = makeSets(ctx, p, sampler, parents);
  if (!sets) return Failure(sets.error());
  const DraftTest draft(ctx, p);
  const Array<std::size_t> start = startsOf(ctx, points, parents, *sets, draft);
  if (auto ok = guardPoints(ctx, static_cast<double>(start.back()), "Raise the spacing, or thin the placements"); !ok)
    return Failure(ok.error());
  Children children;
  Points out = placed(ctx, points, p, parents, *sets, draft, start, children);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  const bool isNamed = p.at == At::Mounts || p.at == At::Parts;
  if (p.size == SizeFrom::Placement || p.at == At::Parts) out.size = points.size.gathered(children.parent);
  if (p.at == At::Mounts && p.isSizedByMount) {
    Array<Vec3> size = out.size.copied(out.count);
    for (std::size_t c = 0; c < out.count; ++c) size[c] *= children.from[c].second->size;
    out.size = std::move(size);
  }
  // What grows on a placement is never shown without it.
  Array<float> level(out.count);
  const Column<float> own = draftLevels(p, out.id, out.count);
  for (std::size_t c = 0; c < out.count; ++c)
    level[c] = std::max(points.levelOf(children.parent[c]),
                        own[c] == kDraftByRank ? Points::draftRank(out.id[c]) : own[c]);
  out.draftLevel = std::move(level);
  inherit(out, points, children.parent);
  if (!isNamed) takeMeshAttributes(out, children.from);
  if (p.carriesPlace) takePlaceOnProp(out, children);
  if (!sets->names.empty()) {
    if (p.at == At::Parts) dressPieces(out, *sets, children);
    out.attributes.insert_or_assign(p.at == At::Parts ? "part" : "mount",
                                    TextColumn{std::make_shared<const std::vector<std::string>>(sets->names),
                                               Column<std::uint32_t>(std::move(children.name))});
  }
  if (!parents.point.empty() && isNamed)
    ctx.warnUnmatched(sampler.patterns(), sampler.offered(),
                      p.at == At::Mounts ? "mount point of these props" : "part of these props");
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

/// Mount points or parts of the props that come in, each counted with the placements that have it.
std::vector<NameCount> namesOnProps(const std::string& param, const EvalContext&, const Inputs& in,
                                    const ParamMap& values) {
  const PointsPtr points = in.points();
  if (param != "names" || !points || !points->kit) return {};
  const auto at = values.find("at");
  const bool areParts = at != values.end() && at->second == ParamValue(std::string("parts"));
  std::vector<std::size_t> placements(points->kit->entries.size());
  for (std::size_t i = 0; i < points->count; ++i)
    if (points->prop[i] != kNoProp) ++placements[static_cast<std::size_t>(points->prop[i])];
  std::map<std::string, std::size_t> counts;
  const KitPtr of = in.kit("of");
  for (std::size_t k = 0; k < placements.size(); ++k) {
    const Prop& prop = *points->kit->entries[k].prop;
    if (placements[k] == 0 || (of && std::none_of(of->entries.begin(), of->entries.end(),
                                                  [&](const KitEntry& e) { return e.prop->uid == prop.uid; })))
      continue;
    if (areParts)
      for (const std::string& part : splitsOf(*prop.surface)->parts) counts[part] += placements[k];
    else
      for (const SceneNode& mount : prop.mounts) counts[mount.name] += placements[k];
  }
  std::vector<NameCount> out;
  for (const auto& [name, count] : counts) out.push_back({name, count});
  return out;
}

std::string sentence(const Params& p) {
  switch (p.at) {
    case At::Mounts: return fmt::format("On props · at {}", p.names);
    case At::Even: return fmt::format("On props · {:g} m apart", p.spacing);
    case At::Faces: return "On props · one per face";
    case At::Vertices: return "On props · one per vertex";
    case At::Parts: return fmt::format("On props · one per part {}", p.names);
  }
  return {};
}

}  // namespace

const NodeKind& onProps() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "on-props";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "On props");
    k.help = ARVESK_TEXT(
        "node",
        "Points on every placement of the connected props (of all when none are connected): at their mount points; "
        "over "
        "their real mesh, never the massing, evenly, per face or per vertex; or one per named part, dressed with that "
        "piece, which is named owner/part, turns about its own middle and keeps its home: its place in the owner. Each "
        "prop is sampled once and every placement carries its samples along, so they move, turn and size "
        "with it; up is the mesh's normal as it stands in the world. "
        "Several variants keep neighbors from growing the same. Spacing in world meters holds whatever the placement's "
        "size (sizes are classed by eighths of an octave, so it may be up to 9 % wider). Points carry parent, mount or "
        "part, and the placement's attributes as parent-…");
    k.glyph = "on-props";
    k.synonyms = {"grow", "moss", "barnacles", "attach", "mount", "parts"};
    k.inputs = {pointsWithPropsInput(),
                {"of", ValueType::Kit, ARVESK_TEXT("node", "Props"),
                 ARVESK_TEXT("node", "The props to go on; all when nothing is connected."), true, false}};
    k.outputs = {pointsOutput()};
    k.params = {
        param("at", &Params::at, ARVESK_TEXT("node", "Points at"), ARVESK_TEXT("node", "Where on each placement."),
              {{"mounts", ARVESK_TEXT("node", "Mount points")},
               {"even", ARVESK_TEXT("node", "Evenly")},
               {"faces", ARVESK_TEXT("node", "Per face")},
               {"vertices", ARVESK_TEXT("node", "Per vertex")},
               {"parts", ARVESK_TEXT("node", "Per named part")}}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "No two points of a placement are closer."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.02, 2, 0.01)
            .shown("at", {"even"}),
        param("spacing_in", &Params::spacingIn, ARVESK_TEXT("node", "Spacing in"),
              ARVESK_TEXT("node", "The prop's own meters, or meters in the world."),
              {{"prop", ARVESK_TEXT("node", "Prop meters")}, {"world", ARVESK_TEXT("node", "World meters")}})
            .shown("at", {"even"}),
        param("variants", &Params::variants, ARVESK_TEXT("node", "Variants"),
              ARVESK_TEXT("node", "How many different sets each prop has."))
            .hard(1, 64)
            .usual(1, 16, 1)
            .shown("at", {"even"}),
        param("names", &Params::names, ARVESK_TEXT("node", "Names"),
              ARVESK_TEXT("node", "Of mount points or parts, with * and ? as wildcards, separated by semicolons."))
            .shown("at", {"mounts", "parts"}),
        param("size", &Params::size, ARVESK_TEXT("node", "Size"),
              ARVESK_TEXT("node", "Starts at 1, or is the placement's."),
              {{"one", ARVESK_TEXT("node", "1")}, {"placement", ARVESK_TEXT("node", "As placement")}})
            .shown("at", {"mounts", "even", "faces", "vertices"}),
        param("mount_size", &Params::isSizedByMount, ARVESK_TEXT("node", "Sized by mount"),
              ARVESK_TEXT("node", "The mount point's own size counts: what sits there is so many times as large."))
            .shown("at", {"mounts"}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 2, 0.01),
        param("carries_place", &Params::carriesPlace, ARVESK_TEXT("node", "Place on the prop"),
              ARVESK_TEXT("node",
                          "Points also carry prop-place (m) and prop-normal in the prop's own frame at size 1, and the "
                          "part and material that they sit on: masks in the frame of the placement go by these.")),
    };
    addDraftParams<Params>(k.params);
    k.version = 2;
    k.upgrade = [](SavedNode& saved) {  // version 1 did not ask how large mount points are
      const auto at = saved.params.find("at");
      if (at != saved.params.end() && at->second == ParamValue(std::string("mounts")))
        saved.params["mount_size"] = false;
    };
    k.names = &namesOnProps;
    k.usesSeed = true;
    k.example.params = {{"spacing", 0.55}};
    k.example.spacing = 2.6;
    k.example.shows = ExampleShows::OnProps;
    k.example.joins = {"of"};
    k.trial.params = {{"spacing", 0.4}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
