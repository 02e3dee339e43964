// Touch-ups: what a hand changed of single placements, by their ids and relative to what the rules made of them.
#include "core/nodes/adjust/touch_ups.h"

#include "core/geometry/joined.h"
#include "core/nodes/brush_effect.h"
#include "core/nodes/named_props.h"
#include "core/nodes/registry.h"
#include "core/props/coloring.h"
#include "core/spatial/hand_ground.h"

#include <fmt/format.h>

#include <bit>
#include <unordered_map>

namespace arvesk::nodes {
namespace {

using Params = TouchUpsParams;
/// A kept one holds its place when its point moves farther than this, m.
constexpr float kHeld = 0.01F;
constexpr std::size_t kGone = std::numeric_limits<std::size_t>::max();

/// Where the points of these ids are; kGone for those that are not there.
std::vector<std::size_t> indicesOf(const std::vector<TouchUp>& touches, const Points& points) {
  std::unordered_map<std::uint64_t, std::size_t> wanted;
  wanted.reserve(touches.size());
  // Few of many are wanted: most are told apart by some bits of their ids (Bloom, "Space/time trade-offs in hash coding
  // with allowable errors", 1970, with one hash).
  std::vector<bool> may(std::bit_ceil(std::max<std::size_t>(64, 32 * touches.size())));
  const auto bitOf = [mask = may.size() - 1](std::uint64_t id) {
    return static_cast<std::size_t>(id ^ id >> 32) & mask;
  };
  for (std::size_t k = 0; k < touches.size(); ++k) {
    wanted.emplace(touches[k].id, k);
    may[bitOf(touches[k].id)] = true;
  }
  std::vector<std::size_t> out(touches.size(), kGone);
  parallelPieces({}, points.count, 16384, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const std::uint64_t id = points.id[i];
      if (!may[bitOf(id)]) continue;
      if (const auto it = wanted.find(id); it != wanted.end()) out[it->second] = i;  // ids differ
    }
  });
  return out;
}

NamedProps kitOf(const EvalContext& ctx, const KitPtr& given, const TouchUps& touches) {
  std::vector<std::size_t> uses(touches.props.size());
  touches.list.forEach([&](const TouchUp& t) {
    const std::uint32_t number = t.prop > 0 ? t.prop : t.isKept ? t.was : 0;
    if (number > 0 && number <= uses.size()) ++uses[number - 1];
  });
  return namedProps(ctx, given, touches.props, uses, [&](std::size_t count, const std::string& uid) {
    ctx.warn(fmt::format("{} touched placements were given the prop \"{}\", which is not in the Kit; they stay what "
                         "their rules made them",
                         count, uid),
             "Add it in the Kit again, or give them another prop");
  });
}

/// Kept ones whose points are gone or are elsewhere, as they were when they were touched.
Points aloneOf(const std::vector<const TouchUp*>& alone, const NamedProps& kit) {
  Points out;
  out.count = alone.size();
  Array<Vec3> position(out.count), size(out.count), normal(out.count);
  Array<Quat> orientation(out.count);
  Array<std::uint64_t> id(out.count);
  Array<std::int32_t> prop(out.count);
  Array<float> footprint(out.count);
  for (std::size_t i = 0; i < out.count; ++i) {
    const TouchUp& t = *alone[i];
    position[i] = t.at;
    size[i] = t.sized;
    normal[i] = t.normal;
    orientation[i] = t.stood;
    id[i] = t.id;
    prop[i] = kit.at(t.was);
    const Prop* made = kit.propAt(prop[i]);
    footprint[i] = made ? made->footprint : 0;
  }
  out.position = std::move(position);
  out.size = std::move(size);
  out.groundNormal = std::move(normal);
  out.orientation = std::move(orientation);
  out.id = std::move(id);
  out.prop = std::move(prop);
  out.footprint = std::move(footprint);
  out.kit = kit.kit;
  return out;
}

/// Some of the points while they are changed: those at `rows`, or all where that is null. Each column is copied once,
/// when its first value changes or at the end.
class Editing {
 public:
  Editing(const Points& points, const Array<std::uint32_t>* rows) : m_points(points), m_rows(rows) {}
  template <typename T>
  void set(Column<T> Points::*column, Array<T>& copy, std::size_t i, const T& value) {
    if (copy.empty()) copy = copyOf(m_points.*column);
    copy[i] = value;
  }
  void addTint(std::size_t i, const Vec3& more) {
    if (tint.empty()) {
      const auto* before = columnOf<Column<Vec3>>(m_points.attributes, kTint);
      tint = copyOf(before ? *before : Column<Vec3>(Vec3(0)));
    }
    tint[i] += more;
  }
  Array<Vec3> position, size, normal, movedBy;
  Array<Quat> orientation;
  Array<std::uint32_t> face;
  Array<Vec2> uv;
  Array<std::int32_t> prop;
  Array<float> footprint, level;
  Array<std::uint8_t> kept;

  Points done() {
    Points rest = m_points;
    forColumns([&](auto column, auto& copy) {
      if (!copy.empty()) rest.*column = {};
    });
    Points out = m_rows ? gathered(rest, *m_rows) : std::move(rest);
    forColumns([&](auto column, auto& copy) {
      if (!copy.empty()) out.*column = std::move(copy);
    });
    if (!tint.empty()) out.attributes.insert_or_assign(kTint, Column<Vec3>(std::move(tint)));
    return out;
  }

 private:
  template <typename Visit>
  void forColumns(Visit visit) {
    visit(&Points::position, position);
    visit(&Points::size, size);
    visit(&Points::groundNormal, normal);
    visit(&Points::movedBy, movedBy);
    visit(&Points::orientation, orientation);
    visit(&Points::groundFace, face);
    visit(&Points::groundUv, uv);
    visit(&Points::prop, prop);
    visit(&Points::footprint, footprint);
    visit(&Points::draftLevel, level);
    visit(&Points::isKept, kept);
  }
  template <typename T>
  Array<T> copyOf(const Column<T>& column) const {
    if (!m_rows) return column.copied(m_points.count);
    Array<T> out(m_rows->size());
    parallelPieces({}, out.size(), 65536, [&](std::size_t begin, std::size_t end) {
      for (std::size_t k = begin; k < end; ++k) out[k] = column[(*m_rows)[k]];
    });
    return out;
  }

  const Points& m_points;
  const Array<std::uint32_t>* m_rows;
  Array<Vec3> tint;
};

/// Of the ground that is connected, if one is.
struct Ground {
  SurfacePtr surface;
  std::shared_ptr<const SurfaceIndex> index;
};

/// Where point i, which is touched, goes, and how it stands there; it is `to` among those that stay. False where it
/// finds no ground.
bool settle(const TouchUp& t, std::size_t i, std::size_t to, const Points& points, const Ground& ground, bool isAlone,
            float reach, Editing& out) {
  Vec3 place = points.position[i] + t.move;
  Quat orientation = points.orientation[i];
  const bool isOnGround = ground.index && !t.isFree && (isAlone || t.move != Vec3(0));
  bool isFound = true;
  if (isOnGround) {
    const auto below = [&](const Vec3& at) {
      return groundOfHand(*ground.surface, *ground.index, at, points.groundNormal[i], reach);
    };
    // As high over the ground there as over that where it was.
    const auto before = below(points.position[i]);
    const float height = isAlone  ? t.height
                         : before ? glm::dot(points.position[i] - before->position, before->normal)
                                  : 0;
    const auto after = t.move == Vec3(0) ? before : below((before ? before->position : points.position[i]) + t.move);
    isFound = after.has_value();
    if (after) {
      place = after->position + after->normal * height;
      orientation = turnWithGround(orientation, points.groundNormal[i], after->normal) * orientation;
      out.set(&Points::groundNormal, out.normal, to, after->normal);
      out.set(&Points::groundFace, out.face, to, after->face);
      out.set(&Points::groundUv, out.uv, to, after->uv);
      if (!points.movedBy.isConstant()) out.set(&Points::movedBy, out.movedBy, to, Vec3(0));
    }
  }
  place += kUp * t.lift;
  if (!isOnGround && t.move != Vec3(0) && points.groundFace[i] != kNoFace)
    out.set(&Points::movedBy, out.movedBy, to, points.movedBy[i] + t.move);
  if (place != points.position[i]) out.set(&Points::position, out.position, to, place);
  if (t.turn != Quat(1, 0, 0, 0)) orientation = t.turn * orientation;
  if (orientation != points.orientation[i])
    out.set(&Points::orientation, out.orientation, to, glm::normalize(orientation));
  if (t.size != Vec3(1)) out.set(&Points::size, out.size, to, points.size[i] * t.size);
  return isFound;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const PointsPtr given = in.points();
  const std::vector<TouchStanding> standing = standingOf(p, *given);
  const NamedProps kit = kitOf(ctx, given->kit, p.touches);
  std::size_t asleep = 0;
  std::size_t stray = 0;
  std::vector<const TouchUp*> alone;
  Array<std::uint32_t> displaced;  // of those that come in: a kept one holds their place
  for (const TouchStanding& s : standing) {
    asleep += s.state == TouchState::Asleep;
    stray += s.state == TouchState::Stray;
    if (s.state != TouchState::Alone) continue;
    alone.push_back(&s.touch);
    if (s.hasPoint) displaced.push_back(static_cast<std::uint32_t>(s.index));
  }
  if (asleep + stray > 0)
    ctx.warn(
        fmt::format("{} of {} touch-ups find no placement within {:g} m of where they were made, and are not applied",
                    asleep + stray, standing.size(), p.limit),
        "See the list on the Bench: wake them, hand them on, forget them, or leave them until it comes again");
  if (asleep + stray > 0) ctx.say(fmt::format("{} asleep · {} stray", asleep, stray));
  if (asleep + stray == standing.size()) return Outputs{given, std::make_shared<const Points>(gathered(*given, {}))};

  Ground ground{in.surface(), nullptr};
  if (ground.surface) {
    const auto made = SurfaceIndex::of(*ground.surface);
    if (!made) return Failure(made.error());
    ground.index = *made;
  }
  PointsPtr all = given;
  if (kit.kit != given->kit) {  // the places of its own props stay
    Points dressed = *given;
    dressed.kit = kit.kit;
    all = std::make_shared<const Points>(std::move(dressed));
  }
  std::size_t nextAlone = given->count;
  if (!alone.empty()) {
    const Points byHand = aloneOf(alone, kit);
    const std::vector<const Points*> parts{all.get(), &byHand};
    // One that is displaced has the id of the one that holds its place until it goes.
    all = oneAfterTheOther(ctx.task, parts, [&](std::size_t k, std::size_t i) { return parts[k]->id[i]; });
    if (!all) return Failure(cancelled());
  }
  Array<std::uint32_t> removed;
  for (const TouchStanding& s : standing)
    if (s.touch.isRemoved && s.state == TouchState::Applied) removed.push_back(static_cast<std::uint32_t>(s.index));
  Array<std::uint32_t> going = removed;
  going.insert(going.end(), displaced.begin(), displaced.end());
  std::sort(going.begin(), going.end());
  Array<std::uint32_t> staying;
  if (!going.empty()) {
    staying.reserve(all->count - going.size());
    std::size_t next = 0;
    for (std::uint32_t i = 0; i < all->count; ++i)
      if (next < going.size() && going[next] == i)
        ++next;
      else
        staying.push_back(i);
  }
  const auto amongStaying = [&](std::size_t i) {
    return i - static_cast<std::size_t>(std::lower_bound(going.begin(), going.end(), i) - going.begin());
  };
  Editing out(*all, going.empty() ? nullptr : &staying);
  std::size_t missing = 0;
  for (const TouchStanding& s : standing) {
    endIfStopped();
    const TouchUp& t = s.touch;
    if (s.isWaiting() || t.isRemoved) continue;
    const bool isAlone = s.state == TouchState::Alone;
    const std::size_t i = isAlone ? nextAlone++ : s.index;
    const std::size_t to = amongStaying(i);
    // In every draft: what a hand did is seen.
    if (all->draftLevel[i] != 0) out.set(&Points::draftLevel, out.level, to, 0.0F);
    missing += !settle(t, i, to, *all, ground, isAlone, p.reach, out);
    if (t.tint != Vec3(0)) out.addTint(to, t.tint);
    if (t.isKept) out.set(&Points::isKept, out.kept, to, std::uint8_t{1});
    if (const std::int32_t prop = kit.at(t.prop); prop != kNoProp) {
      out.set(&Points::prop, out.prop, to, prop);
      out.set(&Points::footprint, out.footprint, to, kit.propAt(prop)->footprint);
    }
  }
  if (missing > 0)
    ctx.warn(
        fmt::format("{} touched placements find no ground within {:g} m of where they were moved", missing, p.reach),
        "Move them back, bring the ground back, or raise the reach");
  std::sort(removed.begin(), removed.end());
  Points left = gathered(*all, removed);
  left.isKept = Column<std::uint8_t>(std::uint8_t{0});  // what is removed here is not kept by what came before
  if (!removed.empty()) left.draftLevel = Column<float>(0.0F);
  return Outputs{std::make_shared<const Points>(out.done()), std::make_shared<const Points>(std::move(left))};
}

std::string byHand(const TouchUp& touch, const TouchUps& among) {
  std::string out = "by hand";
  for (const std::string& part : touchInWords(touch, among)) out += ", " + part;
  return out;
}

std::vector<std::string> explain(const EvalContext&, const Inputs& in, const Params& p, const Points& points) {
  std::vector<std::string> out(points.count, "not touched");
  const PointsPtr given = in.points();
  if (!given) return out;
  std::unordered_map<std::uint64_t, std::size_t> places;
  for (std::size_t i = 0; i < points.count; ++i) places.emplace(points.id[i], i);
  for (const TouchStanding& s : standingOf(p, *given)) {
    const auto it = places.find(s.touch.id);
    if (it == places.end()) continue;
    out[it->second] = s.state == TouchState::Stray
                          ? fmt::format("its touch-up is stray: {:.2f} m from where it was, limit {:g} m", s.strayed,
                                        p.limit)
                          : byHand(s.touch, p.touches);
  }
  return out;
}

std::string sentence(const Params& p) {
  return p.touches.list.empty() ? std::string("nothing touched yet") : fmt::format("{} touched", p.touches.list.size());
}

/// Some of the points, touched in every way; the last one's point is gone.
ParamMap someTouched(const Points& in) {
  TouchUps touches;
  std::vector<TouchUp> list;
  for (std::size_t i = 0; i < in.count; i += 7) {
    TouchUp t;
    t.id = in.id[i];
    t.at = in.position[i];
    switch (i / 7 % 4) {
      case 0: t.isRemoved = true; break;
      case 1: t.move = {0.9F, 0, -0.6F}; break;
      case 2: t.turn = glm::angleAxis(radians(35), Vec3(0, 0, 1)); break;
      default: t.size = Vec3(1.9F);
    }
    list.push_back(t);
  }
  touches.list.append(list);
  return {{"touches", std::move(touches)}};
}

}  // namespace

Quat turnWithGround(const Quat& orientation, const Vec3& before, const Vec3& after) {
  const Vec2 lean(before.x, before.z);
  const Vec3 up = orientation * kUp;
  const float steep = glm::dot(lean, lean);
  const float share = steep < 1e-5F ? 0 : std::clamp(glm::dot(Vec2(up.x, up.z), lean) / steep, 0.0F, 1.0F);
  if (share <= 0) return Quat(1, 0, 0, 0);
  const auto upOn = [&](const Vec3& normal) { return directionOr(glm::mix(kUp, normal, share), normal); };
  return shortestTurn(upOn(before), upOn(after));
}

std::vector<TouchStanding> standingOf(const TouchUpsParams& p, const Points& in) {
  const std::vector<TouchUp> touches = p.touches.list.all();
  const std::vector<std::size_t> indices = indicesOf(touches, in);
  std::vector<TouchStanding> out(touches.size());
  for (std::size_t k = 0; k < touches.size(); ++k) {
    TouchStanding& s = out[k];
    s.touch = touches[k];
    const bool standsAlone = s.touch.isKept && !s.touch.isRemoved;
    s.hasPoint = indices[k] != kGone;
    if (!s.hasPoint) {
      s.state = standsAlone ? TouchState::Alone : TouchState::Asleep;
      continue;
    }
    s.index = indices[k];
    s.strayed = glm::distance(in.position[s.index], s.touch.at);
    const float limit = standsAlone ? std::min(p.limit, kHeld) : p.limit;
    s.state = s.strayed <= limit ? TouchState::Applied : standsAlone ? TouchState::Alone : TouchState::Stray;
  }
  return out;
}

std::vector<std::string> touchInWords(const TouchUp& t, const TouchUps& among, const std::vector<PropEntry>* props) {
  if (t.isRemoved) return {"removed"};
  std::vector<std::string> parts;
  if (const float d = glm::length(t.move + kUp * t.lift); d > 0) parts.push_back(fmt::format("moved {:.3g} m", d));
  if (const float turn = 2 * std::acos(std::clamp(std::abs(t.turn.w), 0.0F, 1.0F)); turn > 1e-4F)
    parts.push_back(fmt::format("turned {:.3g}°", degrees(turn)));
  if (t.size != Vec3(1))
    parts.push_back(t.size.x == t.size.y && t.size.y == t.size.z
                        ? fmt::format("size × {:.3g}", t.size.y)
                        : fmt::format("size × {:.3g}, {:.3g}, {:.3g}", t.size.x, t.size.y, t.size.z));
  if (t.prop > 0) {
    const std::string& uid = among.propOf(t.prop);
    std::string name = uid;
    if (props)
      for (const PropEntry& entry : *props)
        if (entry.uid == uid) name = entry.name;
    parts.push_back("swapped for " + name);
  }
  if (t.tint != Vec3(0)) parts.push_back("colored");
  if (t.isKept) parts.push_back("kept");
  if (parts.empty()) parts.push_back("as it was");
  return parts;
}

const NodeKind& touchUps() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "touch-ups";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Touch-ups");
    k.help = ARVESK_TEXT(
        "node",
        "What a hand changed of single placements: moved, turned, sized, swapped for another prop, colored, removed or "
        "kept. Select some in Site, and use the handles, the arrow keys, Delete or the menu. Each touch-up goes by the "
        "id of its placement, and is relative to what the rules make of that: it stays when density, masks, limits, "
        "order "
        "or seeds of other nodes change, and is in every draft. When its placement is gone it sleeps; when that stands "
        "farther from where it was than the limit it is stray, and is not applied. Both are listed on the Bench, and "
        "none "
        "ever goes to another placement by itself. What is kept stays where it stands though its rule no longer makes "
        "it, and "
        "though a filter below would take it.");
    k.glyph = "touch-ups";
    k.synonyms = {"edit", "manual", "override", "nudge", "tweak", "fix", "delete", "swap", "hand"};
    k.inputs = {pointsInput(), groundInput(true)};
    k.inputs[1].help = ARVESK_TEXT(
        "node",
        "What is moved along the ground stands on this again; without it, it keeps the height "
        "that it was moved to.");
    k.outputs = {pointsOutput(), leftOutOutput()};
    k.params = {
        param("touches", &Params::touches, ARVESK_TEXT("node", "Touch-ups"),
              ARVESK_TEXT("node", "What was changed; select placements in Site to change more.")),
        param("limit", &Params::limit, ARVESK_TEXT("node", "Stray beyond"),
              ARVESK_TEXT("node",
                          "A touch-up whose placement stands farther than this from where it was is not applied."))
            .in(Unit::Meter)
            .hard(0, 1e6)
            .usual(0.1, 20, 0.1),
        param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
              ARVESK_TEXT("node", "How far ground may be above or below of where a placement is moved to."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 100, 0.5),
        param("step", &Params::step, ARVESK_TEXT("node", "Step of arrow keys"),
              ARVESK_TEXT("node", "How far one press moves what is selected; with Shift ten times as far."))
            .in(Unit::Meter)
            .hard(1e-4, 1000)
            .usual(0.01, 2, 0.01)
            .ofTool(),
        param("brush_job", &Params::job, ARVESK_TEXT("node", "Brush"),
              ARVESK_TEXT("node",
                          "What a stroke in Site does to the placements under it while this node is selected; off, "
                          "placements are selected there."),
              {{"off", ARVESK_TEXT("node", "Off")},
               {"adjust", ARVESK_TEXT("node", "Adjust")},
               {"remove", ARVESK_TEXT("node", "Take away")},
               {"keep", ARVESK_TEXT("node", "Keep")}})
            .ofTool(),
        brushEffect(&Params::effect).ofTool(),
        brushMeets(&Params::meets, {"remove", "keep"}).ofTool(),
        param("brush_radius", &Params::radius, ARVESK_TEXT("node", "Brush radius"),
              ARVESK_TEXT("node", "Of the next stroke."))
            .in(Unit::Meter)
            .hard(0.01, 1e4)
            .usual(0.1, 20, 0.1)
            .shown("brush_job", {"adjust", "remove", "keep"})
            .ofTool(),
        param("brush_strength", &Params::strength, ARVESK_TEXT("node", "Brush strength"),
              ARVESK_TEXT("node", "How far one dab goes; a tablet's pressure scales it."))
            .in(Unit::Percent)
            .hard(1, 100)
            .usual(1, 100, 1)
            .shown("brush_job", {"adjust"})
            .ofTool(),
        param("brush_limits", &Params::sizeLimits, ARVESK_TEXT("node", "Size limits"),
              ARVESK_TEXT("node", "Growing and shrinking stay within them."))
            .hard(0.001, 1000)
            .usual(0.1, 10, 0.1)
            .shown("brush_effect", {"grow", "shrink"})
            .ofTool(),
    };
    k.settingsFor = &someTouched;
    k.example.spacing = 2.2;
    const auto specs = std::make_shared<const std::vector<ParamSpec>>(k.params);
    k.wantsAll = [specs](const ParamMap& values) { return !readParams<Params>(*specs, values).touches.list.empty(); };
    k.usesProp = [specs](const ParamMap& values, const PropEntry& entry) {
      const auto p = readParams<Params>(*specs, values);
      return std::find(p.touches.props.begin(), p.touches.props.end(), entry.uid) != p.touches.props.end();
    };
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

TouchUpsParams touchUpsParams(const Node& node) {
  return node.kind == touchUps().id ? readParams<Params>(touchUps().params, node.params) : Params();
}

}  // namespace arvesk::nodes
