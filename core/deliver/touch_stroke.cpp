#include "core/deliver/touch_stroke.h"

#include "core/geometry/prop.h"
#include "core/nodes/adjust/touch_ups.h"

namespace arvesk {

std::shared_ptr<const TouchScene> TouchScene::of(const Plan& plan, const Evaluation& evaluation, const Node& node) {
  auto out = std::make_shared<TouchScene>();
  const Inputs inputs = inputsOf(plan, evaluation, node);
  out->in = inputs.points();
  out->points = evaluation.firstOf<PointsPtr>(node.uid);
  if (!out->in || !out->points || out->points->count == 0) return nullptr;
  out->places.resize(out->in->count);
  for (std::uint32_t i = 0; i < out->in->count; ++i) out->places[i] = {out->in->id[i], i};
  std::sort(out->places.begin(), out->places.end());
  if (const Link* link = firstLink(node, "ground")) out->ground = GroundUnder(evaluation, *link);
  const nodes::TouchUpsParams params = nodes::touchUpsParams(node);
  for (const nodes::TouchStanding& s : nodes::standingOf(params, *out->in))
    if (s.state == nodes::TouchState::Alone)
      out->alone.emplace(s.touch.id, targetOf(s.touch, params.touches, out->ground));
  Array<PointGrid::Entry> entries(out->points->count);
  Box3 box;
  for (std::size_t i = 0; i < entries.size(); ++i) {
    entries[i] = {out->points->position[i], 0, static_cast<std::uint32_t>(i)};
    box.add(entries[i].position);
  }
  const float room = std::max(box.extent().x, box.extent().z);
  out->grid = PointGrid(entries, std::max(0.05F, 2 * room / std::sqrt(static_cast<float>(entries.size()))));
  out->group.node = node.uid;
  out->group.limit = params.limit;
  return out;
}

TouchStroke::Touched* TouchStroke::touched(std::size_t i) {
  if (const auto it = m_touched.find(i); it != m_touched.end()) return &it->second;
  const Points& points = *m_scene->points;
  Touched t;
  const std::uint64_t id = points.id[i];
  if (const auto alone = m_scene->alone.find(id); alone != m_scene->alone.end())
    t.target = alone->second;
  else if (const auto place = std::lower_bound(m_scene->places.begin(), m_scene->places.end(),
                                               std::pair(id, std::uint32_t{0}));
           place != m_scene->places.end() && place->first == id)
    t.target = targetOf(*m_scene->in, place->second, m_scene->ground);
  else
    return nullptr;
  t.target.showAs(points, i);
  t.now.key = i + 1;
  t.now.place = points.position[i];
  t.now.normal = directionOr(points.groundNormal[i], kUp);
  t.now.size = points.size[i];
  if (const auto on = m_scene->ground.at(t.now.place, t.now.normal)) {
    t.now.lift = glm::dot(t.now.place - on->position, on->normal);
    t.now.place = on->position;
    t.now.normal = on->normal;
    t.now.ground = 1;
  }
  t.now.setTurn(points.orientation[i], t.now.normal);
  return &m_touched.emplace(i, std::move(t)).first->second;
}

bool TouchStroke::adjustSome(const BrushDab& dab, const std::vector<std::size_t>& indices) {
  HandPoints local;
  (void)local.numberOf(GroundPiece{});
  std::vector<HandPoint> list;
  for (const std::size_t i : indices)
    if (const Touched* t = touched(i)) list.push_back(t->now);
  local.list.append(list);
  const auto radiusOf = [&](const HandPoint& p) {
    return m_scene->points->footprint[p.key - 1] * std::max(std::abs(p.size.x), std::abs(p.size.z));
  };
  const BrushGround ground{m_scene->ground.surface(), m_scene->ground.index()};
  if (!adjust(local, dab, m_how, ground, radiusOf)) return false;
  local.list.forEach([&](const HandPoint& after) {
    Touched& t = m_touched.at(after.key - 1);
    const HandPoint before = t.now;
    t.now = after;
    t.now.ground = before.ground;  // its number is of a list that is gone
    t.done.move += after.place - before.place;
    t.done.lift += after.lift - before.lift;
    t.done.size *= after.size / before.size;
    if (after.heading != before.heading || after.tilt != before.tilt)
      t.done.turn = glm::normalize(after.turnOn(after.normal) * glm::conjugate(before.turnOn(after.normal)) *
                                   t.done.turn);
  });
  return true;
}

bool TouchStroke::add(const BrushDab& dab) {
  std::vector<std::size_t> indices;
  m_scene->grid.near(dab.place, dab.radius, [&](const PointGrid::Entry& e) {
    if (!m_touched.contains(e.index) && glm::distance(e.position, dab.place) <= dab.radius) indices.push_back(e.index);
    return false;
  });
  for (const auto& [i, t] : m_touched)
    if (glm::distance(t.now.place, dab.place) <= dab.radius && !t.done.isRemoved) indices.push_back(i);
  std::sort(indices.begin(), indices.end());
  indices.erase(std::unique(indices.begin(), indices.end()), indices.end());  // a grid may hand one out twice
  if (m_job == Job::Adjust) return !indices.empty() && adjustSome(dab, indices);
  const Points& points = *m_scene->points;
  if (m_which == BrushMeets::OneKind && !m_kind && !indices.empty())
    m_kind = propUidOf(points, *std::min_element(indices.begin(), indices.end(), [&](std::size_t a, std::size_t b) {
                         return glm::distance(points.position[a], dab.place) <
                                glm::distance(points.position[b], dab.place);
                       }));
  bool isChanged = false;
  for (const std::size_t i : indices) {
    if (m_kind && propUidOf(points, i) != *m_kind) continue;
    Touched* t = touched(i);
    if (!t) continue;
    bool& flag = m_job == Job::Remove ? t->done.isRemoved : t->done.isKept;
    isChanged |= !flag;
    flag = true;
  }
  return isChanged;
}

TouchUps TouchStroke::touches(const TouchUps& before) const {
  TouchGroup group = m_scene->group;
  std::unordered_map<std::uint64_t, const Touched*> byId;
  for (const auto& [i, t] : m_touched) {
    if (t.done.isNothing()) continue;
    group.targets.push_back(t.target);
    byId.emplace(t.target.id, &t);
  }
  return withChange(before, group, [&](TouchUp& touch, TouchUps&, const TouchTarget& target) {
    const TouchUp& done = byId.at(target.id)->done;
    if (done.move != Vec3(0)) touch.isFree = touch.isFree || !target.height;
    touch.isRemoved |= done.isRemoved;
    touch.isKept |= done.isKept;
    touch.move += done.move;
    touch.lift += done.lift;
    touch.turn = glm::normalize(done.turn * touch.turn);
    touch.size *= done.size;
  });
}

std::vector<Vec3> TouchStroke::places() const {
  std::vector<Vec3> out;
  for (const auto& [i, t] : m_touched)
    if (!t.done.isNothing()) out.push_back(t.now.place);
  return out;
}

}  // namespace arvesk
