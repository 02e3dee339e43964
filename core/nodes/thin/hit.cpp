// Hit: which pieces of a whole break loose, what comes with them, and where they lie then.
#include "core/nodes/mask/references.h"
#include "core/nodes/registry.h"
#include "core/spatial/ground.h"
#include "core/spatial/holding.h"
#include "core/spatial/lying.h"
#include "core/spatial/point_grid.h"
#include "core/spatial/settling.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

#include <map>

namespace arvesk::nodes {
namespace {

enum class Then { Stay, Fall, Thrown };
struct Params {
  float share = 50;  // %
  float reach = 0.5F;
  Follows follows = Follows::Unheld;
  float lost = 60;  // %
  float leastArea = 0;
  float gap = 0.005F;
  Then then = Then::Thrown;
  Range away{0.3F, 1.5F};
  Vec3 push{0};
  bool isLaid = true;
};

constexpr std::size_t kAsked = 16;  // places of a piece that are asked whether they are hit

/// Places of each placement, spread over its mesh, and its middle: kAsked of each.
Points askedPlaces(const Points& points, const std::vector<PlacedMesh>& meshes) {
  Array<Vec3> position;
  Array<std::uint32_t> of;
  for (std::size_t i = 0; i < points.count; ++i) {
    endIfStoppedAt(i);
    const PlacedMesh& all = meshes[i];
    position.push_back(all.isEmpty() ? points.position[i] : Vec3(meshes[i].box().middle()));
    for (std::size_t k = 1; k < kAsked; ++k)
      position.push_back(all.isEmpty() ? points.position[i]
                                       : Vec3(all.triangle((k - 1) * all.count() / (kAsked - 1)).corner[(k - 1) % 3]));
    for (std::size_t k = 0; k < kAsked; ++k) of.push_back(static_cast<std::uint32_t>(i));
  }
  // Masks may ask for anything that the pieces carry.
  Points out = gathered(points, of);
  out.position = std::move(position);
  return out;
}

struct Hits {
  std::vector<float> share;  // of each that is hit
  DVec3 middle{0};           // of all places that are
};

Hits hitsOf(const EvalContext& ctx, const Inputs& in, const Points& points, const std::vector<PlacedMesh>& meshes,
            const Params& p) {
  const Points asked = askedPlaces(points, meshes);
  Array<float> hit;
  hit.assign(asked.count, 0);
  if (const MaskPtr where = in.mask("where")) hit = maskValues(ctx.task, *where, asked);
  Array<PointGrid::Entry> near;
  for (const PointsPtr& set : referredPoints(in, "near", Footprint::Spread))
    for (std::size_t i = 0; i < set->count; ++i) near.push_back({set->position[i], 0, 0});
  const PointGrid grid(near, std::max(p.reach, 0.01F));
  parallelPieces(ctx.task, asked.count, 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i)
      if (grid.near(asked.position[i], p.reach,
                    [&](const PointGrid::Entry& e) { return glm::distance(asked.position[i], e.position) <= p.reach; }))
        hit[i] = 1;
  });
  Hits out;
  double sum = 0;
  for (std::size_t i = 0; i < points.count; ++i) {
    float all = 0;
    for (std::size_t k = i * kAsked; k < (i + 1) * kAsked; ++k) {
      all += hit[k];
      out.middle += static_cast<double>(hit[k]) * DVec3(asked.position[k]);
      sum += static_cast<double>(hit[k]);
    }
    out.share.push_back(all / static_cast<float>(kAsked));
  }
  if (sum > 0) out.middle /= sum;
  return out;
}

/// Of each: what holds it by itself. The mask; else the ground; else that it is among the lowest of its group.
std::vector<std::uint8_t> heldOf(const EvalContext& ctx, const Inputs& in, const Points& points,
                                 const std::vector<PlacedMesh>& meshes, const std::vector<Touch>& touches,
                                 const Params& p) {
  std::vector<std::uint8_t> out(points.count, 0);
  if (const MaskPtr held = in.mask("held")) {
    const Array<float> w = maskValues(ctx.task, *held, askedPlaces(points, meshes));
    for (std::size_t i = 0; i < points.count; ++i)
      out[i] = *std::max_element(w.begin() + static_cast<std::ptrdiff_t>(i * kAsked),
                                 w.begin() + static_cast<std::ptrdiff_t>((i + 1) * kAsked)) >= 0.5F;
    return out;
  }
  if (const SurfacePtr ground = in.surface("ground")) {
    if (const auto index = SurfaceIndex::of(*ground))
      parallelPieces(ctx.task, points.count, 64, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          const DBox3& box = meshes[i].box();
          const auto tall = static_cast<float>(box.max.y - box.min.y);
          // A place of its lower half that lies just over the ground, or within it.
          const auto isOn = [&](const DVec3& at) {
            return at.y <= box.middle().y &&
                   (*index)->first(Vec3(at) + Vec3(0, tall, 0), -kUp, tall + std::max(p.gap, 1e-3F)).isHit();
          };
          for (std::size_t k = 0; k < meshes[i].count() && !out[i]; ++k)
            for (const DVec3& corner : meshes[i].triangle(k).corner)
              if (!out[i]) out[i] = isOn(corner);
        }
      });
    return out;
  }
  const std::vector<std::uint32_t> group = groupsOf(touches, points.count, static_cast<double>(p.leastArea));
  std::vector<DBox3> box(points.count);
  for (std::size_t i = 0; i < points.count; ++i) box[group[i]].add(meshes[i].box());
  for (std::size_t i = 0; i < points.count; ++i) {
    const DBox3& all = box[group[i]];
    out[i] = meshes[i].box().min.y <= all.min.y + 0.01 * (all.max.y - all.min.y) + static_cast<double>(p.gap);
  }
  return out;
}

std::vector<PlacedMesh> meshesOf(const Task& task, const Points& points) {
  std::vector<PlacedMesh> out(points.count);
  parallelPieces(task, points.count, 64, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) out[i] = placedMesh(points, i);
  });
  return out;
}

/// Judged whole: what is hit and what comes along.
struct Judged {
  std::vector<PlacedMesh> meshes;
  Hits hits;
  std::vector<Broke> broke;
};

Result<Judged> judged(const EvalContext& ctx, const Inputs& in, const Points& points, const Params& p) {
  if (!points.kit && points.count > 0)
    return fail(ProblemCode::WrongInput, "the points have no props yet", "Put Dress or At home before this node");
  Judged out;
  out.meshes = meshesOf(ctx.task, points);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  out.hits = hitsOf(ctx, in, points, out.meshes, p);
  std::vector<std::uint8_t> isHit(points.count);
  for (std::size_t i = 0; i < points.count; ++i)
    isHit[i] = points.isKept[i] == 0 && out.hits.share[i] > 0 && out.hits.share[i] * 100 >= p.share;
  std::vector<Touch> touches;
  std::vector<std::uint8_t> isHeld(points.count, 1);
  if (p.follows != Follows::None) {
    touches = touchesOf(ctx.task, out.meshes, static_cast<double>(p.gap));
    isHeld = heldOf(ctx, in, points, out.meshes, touches, p);
    // What a hand keeps stands, whatever held it.
    for (std::size_t i = 0; i < points.count; ++i) isHeld[i] |= points.isKept[i];
  }
  out.broke = brokenLoose(touches, isHit, isHeld,
                          {p.follows, static_cast<double>(p.lost) / 100, static_cast<double>(p.leastArea)});
  return out;
}

/// Away from the middle of the hit, each by its own draw, laid on one of its flat sides.
void throwAway(const EvalContext& ctx, Points& loose, const DVec3& middle, const Params& p) {
  const Draw draw = ctx.draw("thrown");
  std::map<const Prop*, std::vector<FlatSide>> sides;
  Array<Vec3> position = loose.position.copied(loose.count);
  Array<Quat> orientation = loose.orientation.copied(loose.count);
  for (std::size_t i = 0; i < loose.count; ++i) {
    endIfStopped();
    if (loose.prop[i] == kNoProp) continue;
    const Prop& prop = *loose.kit->entries[static_cast<std::size_t>(loose.prop[i])].prop;
    const Box3 box = prop.surface->bounds();
    const Vec3 own = loose.size[i] * (0.5F * (box.min + box.max));
    Vec3 at = position[i] + orientation[i] * own;
    Vec3 way = at - Vec3(middle);
    way.y = 0;
    const float heading = glm::length(way) > 1e-4F ? headingOf(way) : draw.unit(hashOf(loose.id[i], 5)) * 2 * kPi;
    const float aside = radians(draw.between(hashOf(loose.id[i], 1), -35, 35));
    const float far = draw.unit(hashOf(loose.id[i], 2));
    // More of them near by than far away.
    at += (p.away.from + (p.away.to - p.away.from) * far * far) * headingVector(heading + aside) +
          p.push * draw.between(hashOf(loose.id[i], 3), 0.5F, 1);
    if (p.isLaid) {
      auto [found, isNew] = sides.emplace(&prop, std::vector<FlatSide>());
      if (isNew) found->second = flatSidesOf(prop);
      float sum = 0;
      for (const FlatSide& s : found->second) sum += s.area;
      float drawn = draw.unit(hashOf(loose.id[i], 4)) * sum;
      Vec3 outward(0);
      for (const FlatSide& s : found->second) {
        outward = s.outward;
        drawn -= s.area;
        if (drawn < 0) break;
      }
      if (sum > 0) {
        const Vec3 there = orientation[i] * directionOr(outward / loose.size[i], kUp);
        const Quat spin = glm::angleAxis(draw.unit(hashOf(loose.id[i], 6)) * 2 * kPi, kUp);
        orientation[i] = glm::normalize(spin * shortestTurn(there, -kUp) * orientation[i]);
      }
    }
    position[i] = at - orientation[i] * own;
  }
  loose.position = std::move(position);
  loose.orientation = std::move(orientation);
}

/// What they lie on, as text, and the ground record of those that lie on the ground; the others have none any more.
void recordGround(Points& loose, const Settled& settled, const SurfacePtr& ground) {
  std::shared_ptr<const SurfaceIndex> index;
  if (ground)
    if (const auto made = SurfaceIndex::of(*ground)) index = *made;
  Array<Vec3> normal;
  Array<std::uint32_t> face;
  Array<Vec2> uv;
  Array<std::uint32_t> on;
  for (std::size_t i = 0; i < loose.count; ++i) {
    std::optional<GroundPlace> place;
    if (index && settled.how[i] == Settled::kOnGround) place = groundUnder(*ground, *index, loose.position[i]);
    normal.push_back(place ? place->normal : kUp);
    face.push_back(place ? place->face : kNoFace);
    uv.push_back(place ? place->uv : Vec2(0));
    on.push_back(settled.how[i]);
  }
  loose.groundNormal = std::move(normal);
  loose.groundFace = std::move(face);
  loose.groundUv = std::move(uv);
  loose.movedBy = Column<Vec3>(Vec3(0));
  static const auto names = std::make_shared<const std::vector<std::string>>(
      std::vector<std::string>{"ground", "others", "nothing"});
  loose.attributes.insert_or_assign("lies-on", TextColumn{names, Column<std::uint32_t>(std::move(on))});
}

/// Where the loose ones lie in the end.
PointsPtr fallen(const EvalContext& ctx, const Inputs& in, const PointsPtr& broken, Judged judged, const Params& p) {
  Points loose = *broken;
  if (p.then == Then::Thrown) throwAway(ctx, loose, judged.hits.middle, p);
  const SurfacePtr ground = in.surface("ground");
  double floor = std::numeric_limits<double>::max();
  std::vector<PlacedMesh> standing;
  for (std::size_t i = 0; i < judged.meshes.size(); ++i) {
    floor = std::min(floor, judged.meshes[i].box().min.y);
    if (judged.broke[i] == Broke::No) standing.push_back(std::move(judged.meshes[i]));
  }
  judged.meshes.clear();
  for (const PointsPtr& set : referredPoints(in, "others", Footprint::Spread)) {
    std::vector<PlacedMesh> more = meshesOf(ctx.task, *set);
    standing.insert(standing.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
  }
  const Settled settled = (p.then == Then::Thrown ? settle : letFall)(ctx.task, meshesOf(ctx.task, loose), standing,
                                                                      ground.get(), floor);
  Array<Vec3> position = loose.position.copied(loose.count);
  std::size_t overNothing = 0;
  std::size_t bare = 0;
  for (std::size_t i = 0; i < loose.count; ++i) {
    position[i] = Vec3(DVec3(position[i]) + settled.move[i]);
    const bool isBare = loose.prop[i] == kNoProp ||
                        loose.kit->entries[static_cast<std::size_t>(loose.prop[i])].prop->isMissing;
    bare += isBare ? 1 : 0;
    overNothing += !isBare && settled.how[i] == Settled::kOnNothing ? 1 : 0;
  }
  loose.position = std::move(position);
  recordGround(loose, settled, ground);
  if (bare > 0)
    ctx.warn(fmt::format("{} loose points have no prop, or one that could not be read: they stay where they are", bare),
             "Dress them before they are hit, and see the Kit for what is wrong");
  if (overNothing > 0)
    ctx.warn(fmt::format("{} loose pieces have no ground under them and hang where they are", overNothing),
             "Connect a ground that reaches as far, or throw them less far");
  if (!ground)
    ctx.warn(fmt::format("no ground is connected: pieces fall to the height of the lowest one, {:.2f} m", floor),
             "Connect what they shall fall onto to Ground");
  return std::make_shared<const Points>(std::move(loose));
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  auto found = judged(ctx, in, points, p);
  if (!found) return Failure(found.error());
  std::size_t hit = 0;
  std::size_t followed = 0;
  Array<std::uint8_t> stays(points.count);
  Array<float> share(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    stays[i] = found->broke[i] == Broke::No ? 1 : 0;
    share[i] = found->hits.share[i] * 100;
    hit += found->broke[i] == Broke::Hit;
    followed += found->broke[i] == Broke::Follows;
  }
  ctx.measured(makeHistogram("hit", " %", 0, 100, share, stays));
  auto [home, loose] = split(points, stays);
  if (!in.mask("where") && !in.points("near"))
    ctx.warn("nothing says where it is hit", "Connect a mask, such as Region, to Where, or points to Near");
  ctx.say(followed == 0 ? fmt::format("{} loose", hit) : fmt::format("{} hit, {} follow", hit, followed));
  if (p.then != Then::Stay && loose->count > 0) loose = fallen(ctx, in, loose, std::move(*found), p);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return Outputs{std::move(home), std::move(loose)};
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  std::vector<std::string> out(points.count);
  const Points& all = *in.points();
  const auto found = judged(ctx, in, all, p);
  if (!found) return out;
  std::map<std::uint64_t, std::size_t> place;
  for (std::size_t i = 0; i < all.count; ++i) place[all.id[i]] = i;
  for (std::size_t i = 0; i < points.count; ++i) {
    const auto at = place.find(points.id[i]);
    if (at == place.end()) continue;
    out[i] = fmt::format("hit {:.0f} %, limit {:g} %", found->hits.share[at->second] * 100, p.share);
    if (found->broke[at->second] == Broke::Follows) out[i] += ", follows what was hit";
  }
  return out;
}

std::string sentence(const Params& p) {
  constexpr std::array ends{"stay there", "fall", "are thrown"};
  constexpr std::array follow{"nothing follows", "with what nothing holds", "with what lost its hold"};
  return fmt::format("hit by {:g} % · {} · {}", p.share, follow[static_cast<std::size_t>(p.follows)],
                     ends[static_cast<std::size_t>(p.then)]);
}

}  // namespace

const NodeKind& hit() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "hit";
    k.family = Family::Thin;
    k.label = ARVESK_TEXT("node", "Hit");
    k.help = ARVESK_TEXT(
        "node",
        "Breaks pieces loose where they are hit: by a mask, such as a Region with handles, or near points. What "
        "nothing "
        "holds any more comes along: pieces hold each other where their faces lie against one another, and the whole "
        "is held by a mask, by what it stands on, or by its lowest pieces. The loose ones stay there, fall straight, "
        "or are thrown away from the hit; they come to lie on the ground, on what is still at home and on each other, "
        "without going into one another, and say on what in lies-on. Any placements can be hit: pieces of Break up, "
        "parts of a file, blocks. All "
        "of them are looked at together: what a hit takes along may reach far.");
    k.glyph = "hit";
    k.synonyms = {"impact", "break", "damage", "collapse", "fall", "loose", "debris", "settle", "destroy"};
    k.inputs = {
        pointsWithPropsInput(),
        {"where", ValueType::Mask, ARVESK_TEXT("node", "Where"),
         ARVESK_TEXT("node", "Where it is hit. Each piece is asked at places all over it."), true, false},
        {"near", ValueType::Points, ARVESK_TEXT("node", "Near"), ARVESK_TEXT("node", "Each hits what lies about it."),
         true, true},
        {"held", ValueType::Mask, ARVESK_TEXT("node", "Held"),
         ARVESK_TEXT("node",
                     "What holds by itself: pieces with at least a half of it somewhere. Without it, those that stand "
                     "on the ground, or the lowest ones."),
         true, false},
        groundInput(true),
        {"others", ValueType::Points, ARVESK_TEXT("node", "Others"),
         ARVESK_TEXT("node", "Other placements that loose pieces come to lie on."), true, true}};
    k.outputs = {{"points", ValueType::Points, ARVESK_TEXT("node", "At home")},
                 {"loose", ValueType::Points, ARVESK_TEXT("node", "Loose")}};
    k.params = {
        param("share", &Params::share, ARVESK_TEXT("node", "How much is hit"),
              ARVESK_TEXT("node", "A piece breaks loose when at least so much of it is hit."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
        param("reach", &Params::reach, ARVESK_TEXT("node", "Within"),
              ARVESK_TEXT("node", "How far each of the points at Near hits."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
        param("follows", &Params::follows, ARVESK_TEXT("node", "What follows"),
              ARVESK_TEXT("node", "What breaks loose besides what is hit."),
              {{"none", ARVESK_TEXT("node", "Nothing")},
               {"unheld", ARVESK_TEXT("node", "What nothing holds")},
               {"weakened", ARVESK_TEXT("node", "What lost its hold")}}),
        param("lost", &Params::lost, ARVESK_TEXT("node", "Hold lost"),
              ARVESK_TEXT("node",
                          "A piece follows when so much of the area by which it lies against others is gone; and what "
                          "it held may follow in turn."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(10, 100, 1)
            .shown("follows", {"weakened"}),
        param("least_area", &Params::leastArea, ARVESK_TEXT("node", "Weakest hold"),
              ARVESK_TEXT("node", "Pieces that meet by fewer square meters do not hold each other."))
            .hard(0, 1e6)
            .usual(0, 1, 0.001)
            .shown("follows", {"unheld", "weakened"}),
        param("gap", &Params::gap, ARVESK_TEXT("node", "Joint"),
              ARVESK_TEXT("node", "How far apart faces may be that count as lying against each other."))
            .in(Unit::Meter)
            .hard(0.0001, 1)
            .usual(0.001, 0.1, 0.001)
            .shown("follows", {"unheld", "weakened"}),
        param("then", &Params::then, ARVESK_TEXT("node", "Loose ones"), ARVESK_TEXT("node", "What they do."),
              {{"stay", ARVESK_TEXT("node", "Stay there")},
               {"fall", ARVESK_TEXT("node", "Fall straight")},
               {"thrown", ARVESK_TEXT("node", "Are thrown")}}),
        param("away", &Params::away, ARVESK_TEXT("node", "Away"),
              ARVESK_TEXT("node", "How far from where they were, away from the middle of the hit; most go less far."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 10, 0.05)
            .shown("then", {"thrown"}),
        param("push", &Params::push, ARVESK_TEXT("node", "Push"),
              ARVESK_TEXT("node", "All of them, half to all of this way, such as off a wall."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(-5, 5, 0.05)
            .shown("then", {"thrown"}),
        param("laid", &Params::isLaid, ARVESK_TEXT("node", "On a flat side"),
              ARVESK_TEXT("node", "Each comes to lie on one of its larger flat sides; else as it was turned."))
            .shown("then", {"thrown"}),
    };
    k.usesSeed = true;
    k.example.params = {{"then", std::string("stay")}};
    k.example.joins = {"where"};
    k.example.spacing = 1.1;
    k.example.shows = ExampleShows::OnProps;
    k.trial.params = {{"away", std::vector<double>{0.3, 30}}};
    reaches<Params>(k, [](const Params&) { return Reach::whole(true); });
    k.exemptions.isLocal = false;
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
