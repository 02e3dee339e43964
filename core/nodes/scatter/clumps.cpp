// Clumps: members around every parent.
#include "core/base/sorting.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/mask/references.h"
#include "core/nodes/pushing.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/children.h"
#include "core/nodes/scatter/draft_share.h"
#include "core/spatial/clearance.h"
#include "core/spatial/ground.h"
#include "core/spatial/outline.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Shape { Disc, Ring, Spiral, Ball };
enum class Crowded { Go, Slide };
enum class Parents { LeftOut, Kept, KeptWithRoom };
struct Params : DraftShare {
  Shape shape = Shape::Disc;
  int count = 12;
  float countVariation = 30;
  float radius = 1.5F;
  float radiusVariation = 20;
  float ringThickness = 20;
  float separation = 0;
  Crowded crowded = Crowded::Go;
  float pace = 0.5F;
  bool isRefilled = false;
  CurveShape thinning{{{0, 1}, {1, 1}}};
  float raggedness = 40;
  float toothSize = 0.5F;
  Parents parents = Parents::LeftOut;
  Footprint room = Footprint::Spread;
  float footprint = 0.1F;
};

/// Do members slide apart, in place of leaving each other room? In a ball there is no above to be seen from.
bool slides(const Params& p) { return p.crowded == Crowded::Slide && p.separation > 0 && p.shape != Shape::Ball; }

/// Members before anything is thinned.
struct Members {
  Array<Vec3> position;
  Array<Vec3> normal;
  Array<std::uint32_t> face;
  Array<Vec2> uv;
  Array<std::uint64_t> id;
  Array<std::uint32_t> parent;
  Array<float> distance;          // from the parent, m
  Array<std::uint8_t> isReserve;  // comes in where separation takes others
};

/// One parent's clump in own coordinates, before it is turned and moved.
class Clump {
 public:
  Clump(const EvalContext& ctx, const Params& p)
      : m_p(p),
        m_outline{OutlineShape::Disc, p.raggedness / 100, p.toothSize},
        m_count(ctx.draw("count")),
        m_radius(ctx.draw("radius")),
        m_angle(ctx.draw("angle")),
        m_out(ctx.draw("out")),
        m_height(ctx.draw("height")),
        m_rank(ctx.draw("thinning")),
        m_start(ctx.draw("start")) {}

  std::size_t countOf(std::uint64_t parent) const {
    const float share = 1 + m_p.countVariation / 100 * (2 * m_count.unit(parent) - 1);
    return static_cast<std::size_t>(std::max(0.0F, std::round(static_cast<float>(m_p.count) * share)));
  }

  float radiusOf(std::uint64_t parent) const {
    return m_p.radius * (1 + m_p.radiusVariation / 100 * (2 * m_radius.unit(parent) - 1));
  }
  /// How far it reaches at most toward a unit direction in its own frame.
  float rimToward(std::uint64_t parent, const Vec2& direction) const {
    return radiusOf(parent) * m_outline.factor(direction, parent);
  }

  /// Where member k lies about its parent, or nothing when the curve thins it out or the outline cuts it off. m.
  std::optional<Vec3> placeOf(std::uint64_t parent, std::uint64_t member, std::size_t k) const {
    const float radius = radiusOf(parent);
    const float angle = 2 * kPi * m_angle.unit(member);
    const float along = m_out.unit(member);
    Vec3 unit(0);
    switch (m_p.shape) {
      case Shape::Disc: unit = std::sqrt(along) * Vec3(std::sin(angle), 0, std::cos(angle)); break;
      case Shape::Ring: {  // even over what lies between the inner and the outer rim
        const double hole = 1 - static_cast<double>(m_p.ringThickness) / 100;
        const auto inner = static_cast<float>(hole * hole);
        unit = std::sqrt(inner + (1 - inner) * along) * Vec3(std::sin(angle), 0, std::cos(angle));
        break;
      }
      case Shape::Spiral: {  // the golden angle fills without rows (Vogel 1979)
        const float turn = static_cast<float>(k) * 2.39996323F + 2 * kPi * m_start.unit(parent);
        unit = std::sqrt((static_cast<float>(k) + 0.5F) / static_cast<float>(std::max(m_p.count, 1))) *
               Vec3(std::sin(turn), 0, std::cos(turn));
        break;
      }
      case Shape::Ball: {
        const float y = 2 * m_height.unit(member) - 1;
        const float r = std::sqrt(1 - y * y);
        unit = std::cbrt(along) * Vec3(r * std::sin(angle), y, r * std::cos(angle));
        break;
      }
    }
    const float share = glm::length(unit);
    if (m_rank.unit(member) >= m_p.thinning.at(std::min(share, 1.0F))) return {};
    return unit * radius * m_outline.factor({unit.x, unit.z}, parent);
  }

 private:
  const Params& m_p;
  Outline m_outline;
  Draw m_count, m_radius, m_angle, m_out, m_height, m_rank, m_start;
};

void append(Members& to, const Members& from, std::size_t i) {
  to.position.push_back(from.position[i]);
  to.normal.push_back(from.normal[i]);
  to.face.push_back(from.face[i]);
  to.uv.push_back(from.uv[i]);
  to.id.push_back(from.id[i]);
  to.parent.push_back(from.parent[i]);
  to.distance.push_back(from.distance[i]);
  to.isReserve.push_back(from.isReserve[i]);
}

/// With reserves, of which four stand in for each member: then a clump that has the room is as large as it should be.
std::size_t triedOf(std::size_t count, const Params& p) {
  return p.isRefilled && p.shape != Shape::Spiral ? 5 * count : count;
}

Members makeMembers(const EvalContext& ctx, const Points& parents, const SurfacePtr& ground, const SurfaceIndex* index,
                    const Params& p, std::size_t& candidates) {
  const Clump clump(ctx, p);
  constexpr std::size_t kGrain = 64;
  std::vector<Members> pieces((parents.count + kGrain - 1) / kGrain);
  std::vector<std::size_t> tried(pieces.size());
  parallelPieces(ctx.task, parents.count, kGrain, [&](std::size_t begin, std::size_t end) {
    Members& out = pieces[begin / kGrain];
    for (std::size_t i = begin; i < end; ++i) {
      const std::uint64_t parentId = parents.id[i];
      const std::size_t count = clump.countOf(parentId);
      tried[begin / kGrain] += count;
      for (std::size_t k = 0; k < triedOf(count, p); ++k) {
        const std::uint64_t id = ctx.idOf(parentId, static_cast<std::uint64_t>(k));
        const auto own = clump.placeOf(parentId, id, k);
        if (!own) continue;
        Vec3 place = parents.position[i] + parents.orientation[i] * *own;
        Vec3 normal = parents.groundNormal[i];
        std::uint32_t face = parents.groundFace[i];
        Vec2 uv = parents.groundUv[i];
        if (index && p.shape != Shape::Ball) {
          const auto found = groundUnder(*ground, *index, place);
          if (!found) continue;
          place = found->position;
          normal = found->normal;
          face = found->face;
          uv = found->uv;
        }
        out.position.push_back(place);
        out.normal.push_back(normal);
        out.face.push_back(face);
        out.uv.push_back(uv);
        out.id.push_back(id);
        out.parent.push_back(static_cast<std::uint32_t>(i));
        out.distance.push_back(glm::length(*own));
        out.isReserve.push_back(k >= count);
      }
    }
  });
  Members all;
  for (std::size_t k = 0; k < pieces.size(); ++k) {
    candidates += tried[k];
    endIfStopped();
    for (std::size_t i = 0; i < pieces[k].id.size(); ++i) append(all, pieces[k], i);
  }
  return all;
}

/// Which members stay: by "where", outside of parents' room, and apart from each other across clumps.
Array<std::uint8_t> stayingOf(const EvalContext& ctx, const Members& m, const Points& parents, const Points& places,
                              const MaskPtr& where, const Params& p) {
  Array<std::uint8_t> keeps;
  keeps.assign(m.id.size(), 1);
  if (where) {
    const Array<float> chance = maskValues(ctx.task, *where, places);
    const Draw rank = ctx.draw("where");
    for (std::size_t i = 0; i < keeps.size(); ++i) keeps[i] = rank.unit(m.id[i]) < chance[i];
  }
  // As many of each clump as were to stand there before any had to make way.
  Array<std::uint32_t> wanted;
  wanted.assign(parents.count, 0);
  for (std::size_t i = 0; i < keeps.size(); ++i) wanted[m.parent[i]] += keeps[i] && !m.isReserve[i];
  const auto onlyWanted = [&] {
    Array<std::uint32_t> have;
    have.assign(parents.count, 0);
    // Members come parent by parent, reserves after the others.
    for (std::size_t i = 0; i < keeps.size(); ++i)
      if (keeps[i]) keeps[i] = have[m.parent[i]]++ < wanted[m.parent[i]];
  };
  // Half the separation as radius: two members conflict below it, a member and a parent below the parent's footprint
  // and its own.
  ConflictRule rule;
  KeptPoints room(rule);
  if (p.parents == Parents::KeptWithRoom) {
    Array<PointGrid::Entry> entries;
    const PointsPtr claiming = withFootprints(std::make_shared<const Points>(parents), p.room);
    for (std::size_t i = 0; i < parents.count; ++i)
      entries.push_back({parents.position[i], claiming->effectiveFootprint(i), static_cast<std::uint32_t>(i)});
    room.add(entries);
  }
  const float separation = slides(p) ? 0 : p.separation;
  if (!(separation > 0) && p.parents != Parents::KeptWithRoom) {
    onlyWanted();
    return keeps;
  }
  Array<PointGrid::Entry> entries;
  Array<std::uint32_t> owner;
  for (std::size_t i = 0; i < keeps.size(); ++i)
    if (keeps[i]) {
      endIfStoppedAt(i);
      entries.push_back({m.position[i], std::max(0.5F * separation, 0.0F), static_cast<std::uint32_t>(owner.size())});
      owner.push_back(static_cast<std::uint32_t>(i));
    }
  struct Ranked {
    bool isReserve;
    std::uint64_t rank;
    std::uint32_t index;
  };
  Array<Ranked> ranked(owner.size());
  const Draw rank = ctx.draw("separation");
  for (std::size_t k = 0; k < owner.size(); ++k)
    ranked[k] = {m.isReserve[owner[k]] != 0, rank.bits(m.id[owner[k]]), static_cast<std::uint32_t>(k)};
  sortLarge(ranked, [](const Ranked& a, const Ranked& b) {
    return std::tie(a.isReserve, a.rank, a.index) < std::tie(b.isReserve, b.rank, b.index);
  });
  endIfStopped();
  Array<std::uint32_t> order(ranked.size());
  for (std::size_t k = 0; k < ranked.size(); ++k) order[k] = ranked[k].index;
  const Array<std::uint8_t> stays = keepByPriority(ctx.task, entries, order, room, rule);
  for (std::size_t k = 0; k < owner.size(); ++k) keeps[owner[k]] = stays[k];
  onlyWanted();
  return keeps;
}

/// The members as far apart as the separation wants them, going on from the frame before, and on the ground again.
void slideApart(const EvalContext& ctx, const SurfacePtr& ground, const SurfaceIndex* index, const Params& p,
                Points& members) {
  Array<float> radius;
  radius.assign(members.count, 0.5F * p.separation);
  Array<float> effect;
  effect.assign(members.count, 1.0F);
  Array<Vec3> position = pushedApart(ctx, members, radius, effect, {16, p.radius});
  slideOn(ctx, members, p.pace, position);
  Array<Vec3> normal = members.groundNormal.copied(members.count);
  Array<std::uint32_t> face = members.groundFace.copied(members.count);
  Array<Vec2> uv = members.groundUv.copied(members.count);
  parallelPieces(ctx.task, members.count, 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      if (!index || position[i] == members.position[i]) continue;
      if (const auto found = groundUnder(*ground, *index, position[i])) {
        position[i] = found->position;
        normal[i] = found->normal;
        face[i] = found->face;
        uv[i] = found->uv;
      }
    }
  });
  members.position = std::move(position);
  members.groundNormal = std::move(normal);
  members.groundFace = std::move(face);
  members.groundUv = std::move(uv);
}

/// How far members may be from their parent, m.
double rimOf(const Params& p) {
  return static_cast<double>(p.radius) * (1 + static_cast<double>(p.radiusVariation) / 100) *
         (1 + static_cast<double>(p.raggedness) / 100);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& parents = *in.points("parents");
  const SurfacePtr ground = in.surface();
  std::shared_ptr<const SurfaceIndex> index;
  if (ground) {
    const auto made = SurfaceIndex::of(*ground);
    if (!made) return Failure(made.error());
    index = *made;
  }
  const double members = static_cast<double>(triedOf(static_cast<std::size_t>(std::max(p.count, 0)), p));
  const double estimate = static_cast<double>(parents.count) *
                          (1 + members * (1 + static_cast<double>(p.countVariation) / 100));
  if (auto ok = guardPoints(ctx, estimate, "Lower the count, or thin the parents"); !ok) return Failure(ok.error());
  const Members all = makeMembers(ctx, parents, ground, index.get(), p, *ctx.candidates);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points places;
  places.count = all.id.size();
  places.position = Array<Vec3>(all.position);
  places.groundNormal = Array<Vec3>(all.normal);
  places.groundFace = Array<std::uint32_t>(all.face);
  places.groundUv = Array<Vec2>(all.uv);
  places.id = Array<std::uint64_t>(all.id);
  const Array<std::uint8_t> keeps = stayingOf(ctx, all, parents, places, in.mask("where"), p);
  if (ctx.task.isCancelled()) return Failure(cancelled());

  // Reserves that were not called for are no more left out than those that were never drawn.
  const auto made = [&](bool isKept) {
    Array<std::uint32_t> chosen;
    Array<std::uint32_t> parentOf;
    for (std::size_t i = 0; i < keeps.size(); ++i) {
      if ((keeps[i] != 0) != isKept || (!isKept && all.isReserve[i])) continue;
      chosen.push_back(static_cast<std::uint32_t>(i));
      parentOf.push_back(all.parent[i]);
    }
    Points out = gathered(places, chosen);
    out.orientation = parents.orientation.gathered(parentOf);
    out.footprint = Column<float>(p.footprint);
    Array<float> distance(chosen.size());
    for (std::size_t k = 0; k < chosen.size(); ++k) distance[k] = all.distance[chosen[k]];
    out.draftLevel = draftLevels(p, out.id, out.count);
    inherit(out, parents, parentOf);
    out.attributes.insert_or_assign("parent-distance", Column<float>(std::move(distance)));
    if (isKept && slides(p)) slideApart(ctx, ground, index.get(), p, out);
    return std::make_shared<const Points>(std::move(out));
  };
  PointsPtr same = p.parents == Parents::LeftOut ? std::make_shared<const Points>(gathered(parents, {}))
                                                 : std::make_shared<const Points>(parents);
  PointsPtr staying = made(true);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return Outputs{std::move(staying), std::move(same), made(false)};
}

std::vector<AreaRim> areas(const EvalContext& ctx, const Inputs& in, const Params& p, std::size_t most) {
  const PointsPtr parents = in.points("parents");
  if (!parents) return {};
  constexpr int kSides = 96;
  const Clump clump(ctx, p);
  std::vector<AreaRim> out;
  for (std::size_t i = 0; i < std::min(parents->count, most); ++i) {
    AreaRim rim;
    rim.up = parents->orientation[i] * kUp;
    for (int k = 0; k <= kSides; ++k) {
      const float a = 2 * kPi * static_cast<float>(k % kSides) / kSides;
      const Vec2 way(std::sin(a), std::cos(a));
      rim.line.push_back(parents->position[i] +
                         parents->orientation[i] * (clump.rimToward(parents->id[i], way) * Vec3(way.x, 0, way.y)));
    }
    out.push_back(std::move(rim));
  }
  return out;
}

std::string sentence(const Params& p) {
  constexpr std::array shapes{"disc", "ring", "spiral", "ball"};
  std::string text = fmt::format("Clumps · {} about each, {:g} m {}", p.count, p.radius,
                                 shapes[static_cast<std::size_t>(p.shape)]);
  if (p.separation > 0) text += fmt::format(", {:g} m apart", p.separation);
  return text;
}

}  // namespace

const NodeKind& clumps() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "clumps";
    k.groundFrom = "ground";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Clumps");
    k.help = ARVESK_TEXT(
        "node",
        "Makes members around every parent: in a disc, a ring or a spiral that is set down on the connected ground, or "
        "in "
        "a ball in space, around what floats in a volume or hangs under an arch as well. A curve thins them from "
        "center to edge, noise makes the outline ragged, and a least "
        "separation holds across clumps too, so neighboring clumps grow into each other without overlap. "
        "Members carry parent (the id), parent-distance (m) and the parent's attributes as parent-…; tint is "
        "inherited. Raising the count adds members; separation decides by each member's rank among all near ones, so "
        "with it an addition may take another's place.");
    k.glyph = "clumps";
    k.synonyms = {"cluster", "group", "around", "children", "colony", "tuft"};
    k.inputs = {{"parents", ValueType::Points, ARVESK_TEXT("node", "Parents"),
                 ARVESK_TEXT("node", "A clump is made around each of these."), false, false},
                groundInput(true),
                whereInput(ARVESK_TEXT("node", "The chance that a member stays, by its fixed rank."))};
    k.outputs = {pointsOutput(), {"parents", ValueType::Points, ARVESK_TEXT("node", "Parents")}, leftOutOutput()};
    k.params = {
        param("shape", &Params::shape, ARVESK_TEXT("node", "Shape"),
              ARVESK_TEXT("node",
                          "Disc, ring and spiral lie in the parent's plane and are set down on the ground; a ball is "
                          "free in space."),
              {{"disc", ARVESK_TEXT("node", "Disc")},
               {"ring", ARVESK_TEXT("node", "Ring")},
               {"spiral", ARVESK_TEXT("node", "Spiral")},
               {"ball", ARVESK_TEXT("node", "Ball")}}),
        param("count", &Params::count, ARVESK_TEXT("node", "Count"),
              ARVESK_TEXT("node", "Members about each parent, before thinning."))
            .hard(0, 1e6)
            .usual(0, 100, 1),
        param("count_variation", &Params::countVariation, ARVESK_TEXT("node", "Count ±"),
              ARVESK_TEXT("node", "How much it varies from parent to parent."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
        param("radius", &Params::radius, ARVESK_TEXT("node", "Radius"),
              ARVESK_TEXT("node", "From the parent to the outline."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0.1, 20, 0.05),
        param("radius_variation", &Params::radiusVariation, ARVESK_TEXT("node", "Radius ±"),
              ARVESK_TEXT("node", "How much it varies from parent to parent."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
        param("ring_thickness", &Params::ringThickness, ARVESK_TEXT("node", "Ring thickness"),
              ARVESK_TEXT("node", "How far the ring reaches inward, as a share of the radius."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1)
            .shown("shape", {"ring"}),
        param("separation", &Params::separation, ARVESK_TEXT("node", "Separation"),
              ARVESK_TEXT("node", "Least distance between members, of other clumps too."))
            .in(Unit::Meter)
            .hard(0, 1e3)
            .usual(0, 2, 0.01),
        param("crowded", &Params::crowded, ARVESK_TEXT("node", "Where they crowd"),
              ARVESK_TEXT("node",
                          "What separation does to members that are too near each other: some go, by their rank; or "
                          "all stay and slide apart as seen from above, no farther than the radius. Over time those "
                          "that slide go on from the frame before, so none flickers when the separation or a parent "
                          "moves."),
              {{"go", ARVESK_TEXT("node", "Some go")}, {"slide", ARVESK_TEXT("node", "They slide apart")}})
            .shown("shape", {"disc", "ring", "spiral"}),
        param("pace", &Params::pace, ARVESK_TEXT("node", "Pace"),
              ARVESK_TEXT("node", "How far it goes in a second, at most."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 5, 0.05)
            .shown("crowded", {"slide"}),
        param("refilled", &Params::isRefilled, ARVESK_TEXT("node", "Refilled"),
              ARVESK_TEXT("node",
                          "Where separation or a parent's room takes members others come in, up to the clump's own "
                          "count, as far as there is room."))
            .shown("shape", {"disc", "ring", "ball"}),
        param("raggedness", &Params::raggedness, ARVESK_TEXT("node", "Ragged"),
              ARVESK_TEXT("node", "How much of the radius the outline's noise takes or adds."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
        param("tooth_size", &Params::toothSize, ARVESK_TEXT("node", "Tooth size"),
              ARVESK_TEXT("node", "Size of the ragged teeth, as a share of the radius."))
            .hard(0.05, 5)
            .usual(0.1, 2, 0.05),
        param("parents", &Params::parents, ARVESK_TEXT("node", "Parents"),
              ARVESK_TEXT("node",
                          "Whether the second output carries them, and whether members keep off their footprints."),
              {{"left-out", ARVESK_TEXT("node", "Left out")},
               {"kept", ARVESK_TEXT("node", "Kept")},
               {"kept-with-room", ARVESK_TEXT("node", "Kept, with room")}}),
        footprintIs("footprint_is", &Params::room).shown("parents", {"kept-with-room"}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a member claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
        param("thinning", &Params::thinning, ARVESK_TEXT("node", "Center to edge"),
              ARVESK_TEXT("node", "The chance that a member stays, from the center (left) to the outline (right).")),
    };
    addDraftParams<Params>(k.params);
    k.usesSeed = true;
    k.remembers = [](const ParamMap& values) {
      const auto crowded = values.find("crowded");
      return crowded != values.end() && crowded->second == ParamValue(std::string("slide"));
    };
    k.example.params = {{"count", 26.0}, {"radius", 1.5}, {"separation", 0.16}};
    k.example.patchSpacing = 5;
    k.example.joins = {"ground"};
    k.trial.params = {{"separation", 0.1}};
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> { return Carries{rimOf(p), Part::kAll}; });
    hasAtMost<Params>(k, [](const Params& p, const Most& came, const Inputs&) -> std::optional<Most> {
      return came.with({p.footprint, 1});
    });
    reaches<Params>(k, [](const Params& p) {
      const double rim = rimOf(p);
      if (!(p.separation > 0) && p.parents != Parents::KeptWithRoom) return Reach::within(rim);
      if (slides(p)) return Reach::among(2 * rim + 16 * static_cast<double>(p.separation + p.radius), 1, false);
      return Reach::among(2 * rim + 6 * static_cast<double>(p.separation), 1, false);
    });
    k.exemptions.nestsInAmount = false;
    k.exemptions.isLocal = false;
    putUnder(k.params, ARVESK_TEXT("node", "Outline"), {"raggedness", "tooth_size", "thinning"});
    showsAreas<Params>(k, &areas);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
