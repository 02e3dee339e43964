// Placed by hand: points that brush and single placing made, set down anew wherever the ground went; points of rules
// that come in keep out of their place.
#include "core/nodes/scatter/placed_by_hand.h"

#include "core/nodes/brush_effect.h"
#include "core/nodes/deliver/merge.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/named_props.h"
#include "core/nodes/registry.h"
#include "core/nodes/rendezvous.h"
#include "core/plan/document.h"
#include "core/props/coloring.h"
#include "core/spatial/clearance.h"
#include "core/spatial/hand_ground.h"

#include <fmt/format.h>

#include <type_traits>
#include <unordered_map>
#include <unordered_set>

namespace arvesk::nodes {
namespace {

using Params = PlacedByHandParams;

NamedProps kitOf(const EvalContext& ctx, const KitPtr& given, const HandPoints& hand) {
  std::vector<std::size_t> uses(hand.props.size());
  hand.list.forEach([&](const HandPoint& p) {
    if (p.prop > 0 && p.prop <= uses.size()) ++uses[p.prop - 1];
  });
  return namedProps(ctx, given, hand.props, uses, [&](std::size_t count, const std::string& uid) {
    ctx.warn(fmt::format("{} placed points are of the prop \"{}\", which is not in the Kit; they stay without one",
                         count, uid),
             "Add it in the Kit again, or give them another prop");
  });
}

/// Those of the hand, and the places among them that found no ground.
struct Placed {
  Points points;
  Array<std::uint8_t> isFound;
};

Result<Placed> placed(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const std::vector<HandPoint> hand = p.points.list.all();
  const SurfacePtr ground = in.surface();
  std::shared_ptr<const SurfaceIndex> index;
  if (ground) {
    const auto made = SurfaceIndex::of(*ground);
    if (!made) return Failure(made.error());
    index = *made;
  }
  const std::size_t count = hand.size();
  Placed out;
  out.isFound.assign(count, 1);
  Array<Vec3> position(count), size(count), normal(count);
  Array<Quat> orientation(count);
  Array<std::uint32_t> face(count);
  Array<Vec2> uv(count);
  Array<std::uint64_t> id(count);
  parallelPieces(ctx.task, count, 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      HandPoint h = hand[i];
      id[i] = h.isTaken ? h.key : ctx.idOf(h.key);
      GroundPlace place{h.place, h.normal, kNoFace, Vec2(0)};
      if (ground && h.ground > 0 && h.ground <= p.points.grounds.size()) {
        followGround(h, p.points.grounds[h.ground - 1], *ground);
        const auto found = groundOfHand(*ground, *index, h.place, h.normal, p.reach);
        out.isFound[i] = found.has_value();
        place = found ? *found : GroundPlace{h.place, h.normal, kNoFace, Vec2(0)};
      }
      position[i] = place.position + place.normal * h.lift;
      normal[i] = place.normal;
      face[i] = place.face;
      uv[i] = place.uv;
      orientation[i] = h.turnOn(place.normal);
      size[i] = h.size;
    }
  });
  const NamedProps kit = kitOf(ctx, in.kit(), p.points);
  Rendezvous byWeight(Draw(0, 0, 0, "placed by hand"));  // of no seed, and the same in a copy
  for (std::size_t k = 0; k < kit.ofKit; ++k)
    byWeight.add(hashText(kit.kit->entries[k].prop->uid), kit.kit->entries[k].weight);
  Array<std::int32_t> prop(count);
  Array<float> footprint(count);
  for (std::size_t i = 0; i < count; ++i) {
    prop[i] = hand[i].prop == 0 ? byWeight.chosen(hand[i].key) : kit.at(hand[i].prop);
    const Prop* made = kit.propAt(prop[i]);
    footprint[i] = made ? made->footprint : p.footprint;
  }
  const auto say = [&](const char* name, auto HandPoint::*member) {
    Array<std::remove_cvref_t<decltype(hand.front().*member)>> values(count);
    for (std::size_t i = 0; i < count; ++i) values[i] = hand[i].*member;
    out.points.attributes.insert_or_assign(name, Column(std::move(values)));
  };
  const auto any = [&](auto&& fits) { return std::any_of(hand.begin(), hand.end(), fits); };
  if (any([](const HandPoint& h) { return h.tint != Vec3(0); })) say(kTint, &HandPoint::tint);
  if (any([](const HandPoint& h) { return h.colorShare > 0; })) {
    say(kOwnColor, &HandPoint::color);
    say(kOwnColorShare, &HandPoint::colorShare);
  }
  out.points.count = count;
  out.points.position = std::move(position);
  out.points.orientation = std::move(orientation);
  out.points.size = std::move(size);
  out.points.groundNormal = std::move(normal);
  out.points.groundFace = std::move(face);
  out.points.groundUv = std::move(uv);
  out.points.id = std::move(id);
  out.points.footprint = std::move(footprint);
  if (kit.kit && !kit.kit->entries.empty()) {
    out.points.kit = kit.kit;
    out.points.prop = std::move(prop);
  }
  return out;
}

ConflictRule ruleOf() { return {}; }

Array<PointGrid::Entry> entriesOf(const Points& points) {
  Array<PointGrid::Entry> out(points.count);
  for (std::size_t i = 0; i < points.count; ++i)
    out[i] = {points.position[i], points.effectiveFootprint(i), static_cast<std::uint32_t>(i)};
  return out;
}

/// What of the rules' points stays: none that a hand took over, and, where they keep clear, none in the room of a
/// hand's.
Array<std::uint8_t> stayingOf(const Points& points, const Points& hand, const Params& p) {
  Array<std::uint8_t> keeps;
  keeps.assign(points.count, 1);
  if (p.rules == Rules::Stay) return keeps;
  KeptPoints taken(ruleOf());
  taken.add(entriesOf(hand));
  for (std::size_t i = 0; i < points.count; ++i)
    keeps[i] = !taken.hits(points.position[i], points.effectiveFootprint(i));
  return keeps;
}

constexpr std::uint32_t kNoRow = std::numeric_limits<std::uint32_t>::max();

/// What rules say of those that a hand took over, while they make them: all that they carry but their colors, which
/// the hand keeps itself.
PointsPtr withValuesOf(const Points& rules, PointsPtr hand) {
  if (rules.attributes.empty() || hand->count == 0) return hand;
  std::unordered_map<std::uint64_t, std::uint32_t> rowOf;
  for (std::uint32_t i = 0; i < hand->count; ++i) rowOf.emplace(hand->id[i], kNoRow);
  Array<std::uint32_t> rows;
  for (std::uint32_t i = 0; i < rules.count; ++i)
    if (const auto it = rowOf.find(rules.id[i]); it != rowOf.end()) {
      it->second = static_cast<std::uint32_t>(rows.size());
      rows.push_back(i);
    }
  if (rows.empty()) return hand;
  Attributes known = gathered(rules.attributes, rows);
  for (const char* own : {kTint, kOwnColor, kOwnColorShare}) known.erase(own);
  const Attributes none;  // one more, for what no rule makes
  const Attributes all = concatenated({{&known, rows.size()}, {&none, 1}});
  Array<std::uint32_t> from(hand->count);
  for (std::uint32_t i = 0; i < hand->count; ++i)
    from[i] = std::min(rowOf.at(hand->id[i]), static_cast<std::uint32_t>(rows.size()));
  Points out = *hand;
  for (auto& [name, column] : gathered(all, from)) out.attributes.emplace(name, std::move(column));  // the hand's win
  return std::make_shared<const Points>(std::move(out));
}

PointsPtr without(const Points& points, const HandPoints& hand) {
  std::unordered_set<std::uint64_t> taken;
  hand.list.forEach([&](const HandPoint& h) {
    if (h.isTaken) taken.insert(h.key);
  });
  Array<std::uint8_t> keeps(points.count);
  for (std::size_t i = 0; i < points.count; ++i) keeps[i] = !taken.contains(points.id[i]);
  return split(points, keeps).first;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  if (auto ok = guardPoints(ctx, static_cast<double>(p.points.list.size()), "Place fewer points"); !ok)
    return Failure(ok.error());
  auto hand = placed(ctx, in, p);
  if (!hand) return Failure(hand.error());
  auto [standing, missing] = split(hand->points, hand->isFound);
  if (missing->count > 0) {
    ctx.warn(
        fmt::format("{} placed points find no ground within {:g} m of where they were put; they wait for it, left out",
                    missing->count, p.reach),
        "Bring the ground back, raise the reach, or take them away with the brush");
    ctx.say(fmt::format("{} find no ground", missing->count));
  }
  const PointsPtr given = in.points();
  if (!given) return Outputs{std::move(standing), std::move(missing)};
  standing = withValuesOf(*given, std::move(standing));
  missing = withValuesOf(*given, std::move(missing));
  const PointsPtr rest = without(*given, p.points);
  const auto [staying, left] = split(*rest, stayingOf(*rest, *standing, p));
  const auto joined = [&](const PointsPtr& rules, const PointsPtr& ofHand) {
    const std::vector<const Points*> parts{rules.get(), ofHand.get()};
    return oneAfterTheOther(ctx, parts, [&](std::size_t k, std::size_t i) { return parts[k]->id[i]; });
  };
  auto all = joined(staying, standing);
  auto out = joined(left, missing);
  if (!all) return Failure(all.error());
  if (!out) return Failure(out.error());
  return Outputs{std::move(*all), std::move(*out)};
}

/// Those that are in one of the lists only, or otherwise there; nothing where the lists do not mean the same.
std::optional<std::vector<HandPoint>> differing(const HandPoints& before, const HandPoints& now) {
  if (before.props != now.props) return {};
  const auto groundOf = [](const HandPoints& points, std::uint32_t ground) {
    return ground > 0 && ground <= points.grounds.size() ? std::optional(points.grounds[ground - 1]) : std::nullopt;
  };
  std::unordered_map<std::uint64_t, HandPoint> old;
  before.list.forEach([&](const HandPoint& h) { old.emplace(h.key, h); });
  std::vector<HandPoint> out;
  now.list.forEach([&](const HandPoint& h) {
    const auto it = old.find(h.key);
    if (it != old.end()) {
      HandPoint alike = it->second;
      alike.ground = h.ground;
      const bool isSame = alike == h && groundOf(before, it->second.ground) == groundOf(now, h.ground);
      if (isSame || alike.isTaken == h.isTaken) old.erase(it);
      if (isSame) return;
    }
    out.push_back(h);
  });
  for (const auto& [key, h] : old) out.push_back(h);
  return out;
}

/// Where hands put down otherwise. Of points of rules that come in, only the values can change so: not who stays.
std::optional<std::vector<Box3>> differsAt(const EvalContext& ctx, const Inputs& in, const Params& before,
                                           const Params& now) {
  const auto points = differing(before.points, now.points);
  if (!points) return {};
  const bool hasTaken = std::any_of(points->begin(), points->end(), [](const HandPoint& h) { return h.isTaken; });
  if (!in.many("points").empty() && (now.rules != Rules::Stay || hasTaken)) return {};
  std::unordered_set<std::uint64_t> ids;
  for (const HandPoint& h : *points) ids.insert(h.isTaken ? h.key : ctx.idOf(h.key));
  std::vector<Box3> out;
  std::vector<std::string> names[2];  // of attributes: all of them carry what one of them has
  for (const Params* p : {&before, &now}) {
    const auto hand = placed(ctx, in, *p);
    if (!hand) return {};
    for (const auto& [name, column] : hand->points.attributes) names[p == &now].push_back(name);
    for (std::size_t i = 0; i < hand->points.count; ++i)
      if (ids.contains(hand->points.id[i])) out.push_back({hand->points.position[i], hand->points.position[i]});
  }
  if (names[0] != names[1]) return {};
  return out;
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  std::vector<std::string> out(points.count);
  const auto hand = placed(ctx, in, p);
  if (!hand) return out;
  std::unordered_set<std::uint64_t> ids;
  for (std::size_t i = 0; i < hand->points.count; ++i) ids.insert(hand->points.id[i]);
  const PointsPtr standing = split(hand->points, hand->isFound).first;
  for (std::size_t i = 0; i < points.count; ++i) {
    if (ids.contains(points.id[i])) {
      out[i] = fmt::format("placed by hand, ground within {:g} m", p.reach);
      continue;
    }
    out[i] = "clear of what was placed by hand";
    float worst = 0;
    for (std::size_t k = 0; k < standing->count && p.rules == Rules::KeepClear; ++k) {
      const float needed = ruleOf().distance(points.effectiveFootprint(i), standing->effectiveFootprint(k));
      const float distance = glm::distance(points.position[i], standing->position[k]);
      if (needed - distance <= worst) continue;
      worst = needed - distance;
      out[i] = fmt::format("{:.2f} m from one placed by hand, needs {:.2f} m", distance, needed);
    }
  }
  return out;
}

std::string sentence(const Params& p) {
  return p.points.list.empty() ? std::string("nothing placed yet") : fmt::format("{} placed", p.points.list.size());
}

std::vector<ParamSpec> brushParams() {
  std::vector<ParamSpec> out{
      param(
          "brush_job", &Params::job, ARVESK_TEXT("node", "Brush"),
          ARVESK_TEXT("node",
                      "What a stroke does: adds points, takes some away, changes those that are there, or sets one by "
                      "one: press sets, drag gives the heading, the wheel the size, with Shift the lean."),
          {{"add", ARVESK_TEXT("node", "Add")},
           {"remove", ARVESK_TEXT("node", "Take away")},
           {"adjust", ARVESK_TEXT("node", "Adjust")},
           {"single", ARVESK_TEXT("node", "One by one")}}),
      brushEffect(static_cast<BrushEffect Params::*>(&Params::effect)),
      brushMeets(static_cast<BrushMeets Params::*>(&Params::meets), {"remove"}),
      param("brush_radius", &Params::radius, ARVESK_TEXT("node", "Brush radius"),
            ARVESK_TEXT("node", "Of the next stroke."))
          .in(Unit::Meter)
          .hard(0.01, 1e4)
          .usual(0.1, 20, 0.1)
          .shown("brush_job", {"add", "remove", "adjust"}),
      param("brush_spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
            ARVESK_TEXT("node", "The least distance between points of this node, in this stroke and before."))
          .in(Unit::Meter)
          .hard(0.001, 1e4)
          .usual(0.05, 10, 0.05)
          .shown("brush_job", {"add"}),
      param("brush_spread", &Params::spread, ARVESK_TEXT("node", "Spread"),
            ARVESK_TEXT("node", "How much of the radius points lie in; 0 sets them on the line of the stroke."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1)
          .shown("brush_job", {"add"}),
      param("brush_takes", &Params::takes, ARVESK_TEXT("node", "Props"),
            ARVESK_TEXT("node",
                        "Those of the Kit by weight, some that are chosen here, or in the shares in which they stand "
                        "around the brush."),
            {{"kit", ARVESK_TEXT("node", "Of the Kit")},
             {"chosen", ARVESK_TEXT("node", "Chosen")},
             {"neighbors", ARVESK_TEXT("node", "As around")}})
          .shown("brush_job", {"add", "single"}),
      param("brush_chosen", &Params::chosen, ARVESK_TEXT("node", "Chosen props"),
            ARVESK_TEXT("node", "A weight of 2 comes up twice as often as 1."))
          .shown("brush_takes", {"chosen"}),
      param("brush_strength", &Params::strength, ARVESK_TEXT("node", "Brush strength"),
            ARVESK_TEXT("node", "How far one dab goes; a tablet's pressure scales it."))
          .in(Unit::Percent)
          .hard(1, 100)
          .usual(1, 100, 1)
          .shown("brush_job", {"adjust"}),
      param("brush_limits", &Params::sizeLimits, ARVESK_TEXT("node", "Size limits"),
            ARVESK_TEXT("node", "Growing and shrinking stay within them."))
          .hard(0.001, 1000)
          .usual(0.1, 10, 0.1)
          .shown("brush_effect", {"grow", "shrink"}),
      param("brush_size", &Params::size, ARVESK_TEXT("node", "Size"),
            ARVESK_TEXT("node", "Factor of what is set, drawn for each."))
          .hard(0.001, 1000)
          .usual(0.1, 3, 0.05)
          .shown("brush_job", {"add", "single"}),
      param("brush_turn", &Params::turnDeg, ARVESK_TEXT("node", "Heading"),
            ARVESK_TEXT("node", "A compass, drawn for each; along the stroke it counts from where that goes."))
          .in(Unit::Degree)
          .hard(-360, 360)
          .usual(0, 360, 1)
          .shown("brush_job", {"add"}),
      param("brush_along", &Params::isAlong, ARVESK_TEXT("node", "Along the stroke"),
            ARVESK_TEXT("node", "Headings follow the stroke."))
          .shown("brush_job", {"add"}),
      param("brush_lean", &Params::leanDeg, ARVESK_TEXT("node", "Lean"),
            ARVESK_TEXT("node", "Forward, drawn for each."))
          .in(Unit::Degree)
          .hard(-180, 180)
          .usual(-45, 45, 1)
          .shown("brush_job", {"add", "single"}),
      param("brush_normal", &Params::toNormal, ARVESK_TEXT("node", "To the normal"),
            ARVESK_TEXT("node", "How far points turn from upright to the ground's normal."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1)
          .shown("brush_job", {"add", "single"}),
      param("brush_clear", &Params::clearOf, ARVESK_TEXT("node", "Keep clear of"),
            ARVESK_TEXT("node", "What the footprints of new points keep out of, besides the spacing."),
            {{"nothing", ARVESK_TEXT("node", "Nothing")},
             {"own", ARVESK_TEXT("node", "This node's")},
             {"shown", ARVESK_TEXT("node", "All that is shown")},
             {"named", ARVESK_TEXT("node", "Some outputs")}})
          .shown("brush_job", {"add"}),
      param("brush_named", &Params::named, ARVESK_TEXT("node", "Outputs"),
            ARVESK_TEXT("node", "Names of outputs, with * and ? as wildcards, separated by semicolons."))
          .shown("brush_clear", {"named"}),
      footprintIs("brush_room", static_cast<Footprint Params::*>(&Params::room))
          .shown("brush_clear", {"own", "shown", "named"}),
      roomShapeIs("brush_shape", static_cast<RoomShape Params::*>(&Params::shape))
          .shown("brush_clear", {"own", "shown", "named"}),
      param("brush_gap", &Params::gap, ARVESK_TEXT("node", "Gap"),
            ARVESK_TEXT("node", "Between footprints; below 0 they may overlap by so much."))
          .in(Unit::Meter)
          .hard(-1e3, 1e3)
          .usual(-1, 2, 0.05)
          .shown("brush_clear", {"own", "shown", "named"}),
      param("brush_on", &Params::on, ARVESK_TEXT("node", "Brush lies on"),
            ARVESK_TEXT("node",
                        "The ground that is connected here (all that is shown where none is), or what one sees: placed "
                        "props too. Points on props stay where they were put."),
            {{"ground", ARVESK_TEXT("node", "Ground")}, {"things", ARVESK_TEXT("node", "What is seen")}})
          .shown("brush_job", {"add", "single"}),
  };
  for (ParamSpec& spec : out) spec.ofTool();
  return out;
}

/// Points along a spiral (Vogel, "A better way to construct the sunflower head", 1979), to show what the node does.
HandPoints spiral(std::size_t count, float step) {
  HandPoints out;
  std::vector<HandPoint> points(count);
  for (std::size_t i = 0; i < count; ++i) {
    const float angle = static_cast<float>(i) * kPi * (3 - std::sqrt(5.0F));
    const float radius = step * std::sqrt(static_cast<float>(i) + 0.5F);
    points[i].key = i + 1;
    points[i].place = {radius * std::cos(angle), 0, radius * std::sin(angle)};
    points[i].heading = degrees(angle);
    points[i].ground = out.numberOf(GroundPiece{});
  }
  out.list.append(points);
  return out;
}

}  // namespace

const NodeKind& placedByHand() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "placed-by-hand";
    k.groundFrom = "ground";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Placed by hand");
    k.help = ARVESK_TEXT(
        "node",
        "Points that a hand put down in Site, with brush (B) or one by one (P), kept in the plan. Each has its id for "
        "life, a place on the ground, a heading, a tilt, a size and a prop, or one of the Kit by weight. Where the "
        "ground was changed they are set down again along the vertical, on walls along the normal; a ground that was "
        "moved, turned or sized takes its points along; on one that bends over time they stay where they are seen from "
        "above, and go up and down with it. What finds no ground is left out and waits. Points of rules "
        "that come in pass on; they keep clear of the footprints of what was placed, and give way to those that a hand "
        "took over. Nothing of it depends on a seed, and all of it is in a draft.");
    k.glyph = "placed-by-hand";
    k.synonyms = {"paint", "brush", "manual", "single", "place", "draw"};
    k.inputs = {pointsInput(),
                groundInput(true),
                {"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit"),
                 ARVESK_TEXT("node", "The props that points get by weight where they name none."), true},
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "Bounds the brush, which sets points only where this is above a half."), true}};
    k.inputs.front().isOptional = true;
    k.inputs[1].help = ARVESK_TEXT("node", "What points are put on; they go along where it is moved, turned or sized.");
    k.inputs.front().help = ARVESK_TEXT("node", "Points of rules, which make room for those of the hand.");
    k.outputs = {pointsOutput(), leftOutOutput()};
    carriesNowhere(k);
    k.params = {
        param("points", &Params::points, ARVESK_TEXT("node", "Points"),
              ARVESK_TEXT("node", "What was placed; add and take away in Site.")),
        param("rules", &Params::rules, ARVESK_TEXT("node", "Points of rules"),
              ARVESK_TEXT("node", "Whether points that come in leave room for what was placed, by both footprints."),
              {{"clear", ARVESK_TEXT("node", "Keep clear")}, {"stay", ARVESK_TEXT("node", "Stay")}}),
        param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
              ARVESK_TEXT("node", "How far ground may be away from where a point was put, to either side."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 100, 0.5),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    k.example.params = {{"points", spiral(90, 1.1F)}};
    k.example.joins = {"kit"};
    k.trial.params = {{"points", spiral(30, 0.5F)}};
    const std::vector<ParamSpec> brush = brushParams();
    k.params.insert(k.params.begin() + 1, brush.begin(), brush.end());
    putUnder(k.params, ARVESK_TEXT("node", "How they stand"),
             {"brush_size", "brush_turn", "brush_along", "brush_lean", "brush_normal"});
    putUnder(k.params, ARVESK_TEXT("node", "Room of the brush"),
             {"brush_clear", "brush_named", "brush_room", "brush_shape", "brush_gap", "brush_on"});
    const auto specs = std::make_shared<const std::vector<ParamSpec>>(k.params);
    k.usesProp = [specs](const ParamMap& values, const PropEntry& entry) {
      const auto p = readParams<Params>(*specs, values);
      return std::find(p.points.props.begin(), p.points.props.end(), entry.uid) != p.points.props.end();
    };
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    differs<Params>(k, &differsAt);
    return k;
  }();
  return kind;
}

PlacedByHandParams placedByHandParams(const Node& node) {
  return node.kind == placedByHand().id ? readParams<Params>(placedByHand().params, node.params) : Params();
}

}  // namespace arvesk::nodes
