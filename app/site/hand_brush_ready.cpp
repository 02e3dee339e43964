// What a stroke of the brush by hand begins with, made on a worker: ground, props, what stands there, what is allowed.
#include "app/site/hand_brush.h"

#include "core/base/pattern.h"

#include <cmath>
#include <unordered_set>

namespace arvesk {
namespace {

using nodes::BrushClearOf;
using nodes::BrushTakes;

/// Ground where that is what one sees, else the placement that is met first: it is no ground, and has no face.
auto whatIsSeen(const PictureScenePtr& scene, const BrushGround& ground) {
  return [scene, ground](const Vec3& place, const Vec3& axis, float reach) -> std::optional<GroundPlace> {
    const Vec3 from = place + axis * reach;
    const PictureRayHit hit = scene->first(from, -axis, nullptr, 2 * reach);
    if (!hit.isHit()) return {};
    const PictureInstance& in = scene->instance(hit.instance);
    const Vec3 at = from - axis * hit.distance;
    if (in.layer == kGround) return groundOnLine(*ground.surface, *ground.index, at, axis, 0.05F);
    const Vec3 normal = directionOr(glm::transpose(in.localTurn) * scene->shape(in.shape).faceNormal(hit.face), axis);
    return GroundPlace{at, glm::dot(normal, axis) < 0 ? -normal : normal, kNoFace, Vec2(0)};
  };
}

}  // namespace

std::unique_ptr<HandBrush::Ready> HandBrush::made(const EvalViewPtr& view, const Node& node,
                                                  const std::shared_ptr<const GroundChoice>& on, std::uint64_t seed,
                                                  const Evaluation* whole, const Task& task) {
  auto out = std::make_unique<Ready>();
  out->settings = nodes::placedByHandParams(node);
  out->expected = out->settings.points;
  const nodes::PlacedByHandParams& p = out->settings;
  const Inputs in = inputsOf(view->opened(), view->evaluation, node);
  // The ground that is connected, else the one that was pointed at last.
  SurfacePtr surface = in.surface("ground");
  out->isBound = surface != nullptr;
  if (!surface) surface = on ? on->surface : nullptr;
  if (!surface) return nullptr;
  const auto index = SurfaceIndex::of(*surface);
  if (!index) return nullptr;
  out->ground = {surface, *index};
  if (p.on == nodes::BrushLiesOn::Things && view->scene) out->ground.find = whatIsSeen(view->scene, out->ground);
  out->points = out->isBound ? settled(p.points, *surface, **index, p.reach) : p.points;

  // Props: of the connected Kit, or all of the plan's.
  std::map<std::string, PropPtr> byUid;
  for (const PropPtr& prop : view->props) byUid[prop->uid] = prop;
  const auto footprintOf = [&](const std::string& uid) {
    const auto it = byUid.find(uid);
    if (it == byUid.end() || it->second->isMissing) return p.footprint;
    return p.room == Footprint::Base ? baseOf(*it->second) : it->second->footprint;
  };
  for (const auto& [uid, prop] : byUid)
    if (!prop->isMissing) out->boxes[uid] = massingOf(*prop)->bounds();
  BrushAdd how;
  how.spacing = p.spacing;
  how.spread = p.spread / 100;
  how.size = p.size;
  how.headingDeg = p.turnDeg;
  how.isAlongStroke = p.isAlong;
  how.leanDeg = p.leanDeg;
  how.toNormal = p.toNormal / 100;
  how.isClear = p.clearOf != BrushClearOf::Nothing;
  how.gap = p.gap;
  how.shape = p.shape;
  how.footprint = p.room;
  const auto propOf = [&](const std::string& uid) {
    const auto it = byUid.find(uid);
    return it == byUid.end() ? PropPtr() : it->second;
  };
  const auto offer = [&](const std::string& uid, float weight) {
    if (weight > 0) how.props.push_back({uid, weight, footprintOf(uid), propOf(uid)});
  };
  const KitPtr kit = in.kit();
  if (p.takes == BrushTakes::Chosen) {
    for (const PropChoice& c : p.chosen)
      if (c.isOn) offer(c.prop, static_cast<float>(c.weight));
  } else if (kit) {
    for (const KitEntry& e : kit->entries) offer(e.prop->uid, e.weight);
  } else {
    for (const PropPtr& prop : view->props) offer(prop->uid, prop->weight);
  }
  const bool adds = p.job == nodes::BrushJob::Add || p.job == nodes::BrushJob::Single;
  if (adds && p.takes == BrushTakes::Chosen && how.props.empty())
    out->note = tr("no prop is chosen: points get one of the connected Kit, or none");
  if (how.props.empty()) how.props.push_back({{}, 1, p.footprint, {}});

  // What stands there, but for this node's own.
  std::unordered_set<std::uint64_t> own;
  const auto placeKey = [](const Vec3& v) {
    const auto cell = [](float x) {
      return static_cast<std::uint64_t>(static_cast<std::int64_t>(std::floor(x * 500)));
    };
    return hashOf(cell(v.x), cell(v.y), cell(v.z));
  };
  if (const PointsPtr mine = view->evaluation.firstOf<PointsPtr>(node.uid)) {
    const EvalContext ctx = contextOf(view->opened(), node);
    std::unordered_map<std::uint64_t, std::uint64_t> keys;  // by id
    p.points.list.forEach([&](const HandPoint& h) { keys.emplace(h.isTaken ? h.key : ctx.idOf(h.key), h.key); });
    for (std::size_t i = 0; i < mine->count; ++i)
      if (const auto it = keys.find(mine->id[i]); it != keys.end()) {
        own.insert(placeKey(mine->position[i]));
        out->given.emplace(it->second, propUidOf(*mine, i));
      }
  }
  auto others = std::make_shared<BrushSurroundings>(p.gap);
  const bool isByDisc = p.shape == RoomShape::Disc;
  auto rooms = std::make_shared<Rooms>(how.rule());
  std::map<std::string, float> around;  // weight of props by how many stand near the brush
  if (p.clearOf == BrushClearOf::Shown || p.clearOf == BrushClearOf::Named || p.takes == BrushTakes::Neighbors) {
    Array<PointGrid::Entry> entries;
    const Patterns named(p.named);
    bool isNamed = false;
    for (const PictureLayer& layer : view->shown) {
      const Node* source = view->opened().find(layer.source);
      const bool counts = p.clearOf == BrushClearOf::Shown ||
                          (p.clearOf == BrushClearOf::Named && source && named.match(source->title));
      isNamed = isNamed || counts;
      const PointsPtr all = whole ? whole->firstOf<PointsPtr>(layer.source) : nullptr;
      const PointsPtr judged = withFootprints(all ? all : layer.points, p.room);
      const Points& points = *judged;
      for (std::size_t i = 0; i < points.count; ++i) {
        if (i % 4096 == 0 && task.isCancelled()) return nullptr;
        if (own.contains(placeKey(points.position[i]))) continue;
        if (counts && isByDisc)
          entries.push_back(
              {points.position[i], points.effectiveFootprint(i), static_cast<std::uint32_t>(entries.size())});
        if (counts && !isByDisc)
          rooms->add(points.kit && points.prop[i] != kNoProp
                         ? points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop
                         : PropPtr(),
                     points.footprint[i], points.position[i], points.orientation[i], points.size[i]);
        if (p.takes == BrushTakes::Neighbors && on && glm::distance(points.position[i], on->place) < 3 * p.radius)
          if (const std::string& uid = propUidOf(points, i); !uid.empty()) around[uid] += 1;
      }
    }
    if (isByDisc)
      others->others.add(entries);
    else
      others = std::make_shared<BrushSurroundings>(rooms);
    if (p.job == nodes::BrushJob::Add && p.clearOf == BrushClearOf::Named && !isNamed)
      out->note = tr("nothing that is shown is called \"%1\": the brush keeps clear of this node's alone")
                      .arg(QString::fromStdString(p.named));
  }
  if (p.takes == BrushTakes::Neighbors && !around.empty()) {
    how.props.clear();
    for (const auto& [uid, count] : around) offer(uid, count);
  }

  std::vector<float> footprints{p.footprint};
  for (const std::string& uid : out->points.props) footprints.push_back(footprintOf(uid));
  out->radiusOf = [footprints, all = how.props](const HandPoint& h) {
    const float footprint = h.prop < footprints.size() ? footprints[h.prop] : all.front().footprint;
    return footprint * std::max(std::abs(h.size.x), std::abs(h.size.z));
  };
  std::vector<BrushProp> known{{{}, 1, p.footprint, {}}};
  for (const std::string& uid : out->points.props) known.push_back({uid, 1, footprintOf(uid), propOf(uid)});
  how.propOf = [known](const HandPoint& h) { return h.prop < known.size() ? known[h.prop] : known.front(); };
  std::function<bool(const GroundPlace&)> allows;
  if (const MaskPtr mask = in.mask("mask")) {
    allows = [mask, surface](const GroundPlace& place) {
      Points one;
      one.count = 1;
      one.position = Column<Vec3>(place.position);
      one.groundNormal = Column<Vec3>(place.normal);
      one.groundFace = Column<std::uint32_t>(place.face);
      one.groundUv = Column<Vec2>(place.uv);
      one.id = Column<std::uint64_t>(std::uint64_t{1});
      float value = 0;
      mask->values(one, 0, 1, &value);
      return value > 0.5F;
    };
    (void)allows({Vec3(0), kUp, 0, Vec2(0)});  // what it looks things up in is made here
  }
  // How many overlap: each of this node's that meets another one, or what the brush keeps clear of.
  Rooms standing(how.rule());
  Array<PointGrid::Entry> entries;
  Array<Vec3> places;
  out->points.list.forEach([&](const HandPoint& h) {
    places.push_back(h.place);
    if (isByDisc) {
      entries.push_back({h.place, out->radiusOf(h), static_cast<std::uint32_t>(entries.size())});
      return;
    }
    const BrushProp prop = how.propOf(h);
    standing.add(prop.prop, prop.footprint, h.place + h.normal * h.lift, h.turnOn(h.normal), h.size);
    entries.push_back(standing.ball(standing.count() - 1));
  });
  const ConflictRule rule = isByDisc ? ConflictRule{1, p.gap, {}, false} : ConflictRule{};
  KeptPoints mine(rule);
  mine.add(entries);
  const auto meets = [&](const PointGrid::Entry& e, const PointGrid::Entry& other, const Rooms& of) {
    return rule.conflicts(e.position, e.radius, other.position, other.radius) &&
           (isByDisc || standing.meets(e.index, of, other.index));
  };
  std::unordered_set<std::uint64_t> atOverlaps;
  for (const PointGrid::Entry& e : entries) {
    const bool isOver = others->others.any(e.position, e.radius, [&](const PointGrid::Entry& other) {
      return meets(e, other, *rooms);
    }) || mine.any(e.position, e.radius, [&](const PointGrid::Entry& other) {
      return other.index != e.index && meets(e, other, standing);
    });
    if (!isOver) continue;
    ++out->overlaps;
    atOverlaps.insert(placeKey(places[e.index]));
  }
  std::vector<Vec3> mounts;
  for (const PictureLayer& layer : view->shown) {
    std::vector<std::uint64_t> ids;
    const Points& points = *layer.points;
    for (std::size_t i = 0; i < points.count; ++i) {
      if (i % 4096 == 0 && task.isCancelled()) return nullptr;
      if (!atOverlaps.empty() && atOverlaps.contains(placeKey(points.position[i]))) ids.push_back(points.id[i]);
      if (p.job != nodes::BrushJob::Single || points.prop[i] == kNoProp || !points.kit) continue;
      for (const SceneNode& m : points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->mounts)
        mounts.push_back(points.position[i] + points.orientation[i] * (points.size[i] * m.position));
    }
    if (!ids.empty()) out->overlapping[layer.source] = IdSet(std::move(ids));
  }
  if (p.job == nodes::BrushJob::Single) out->snaps = Snaps(*surface, mounts, out->points, task);
  out->stroke = std::make_unique<BrushStroke>(out->ground, p.clearOf == BrushClearOf::Own ? nullptr : others,
                                              out->points, out->radiusOf, how, seed, std::move(allows));
  return out;
}

}  // namespace arvesk
