#include "core/deliver/touching.h"

#include "core/geometry/prop.h"
#include "core/nodes/adjust/touch_ups.h"

#include <set>
#include <unordered_map>
#include <unordered_set>

namespace arvesk {
namespace {

constexpr const char* kTouchUps = "touch-ups";

/// The last Touch-ups that points of the link may have gone through, or null. None above what chooses props: that would
/// undo what was swapped. Which of the points it knows is for their ids to say.
const Node* touchUpsAbove(const Plan& plan, const Link& link) {
  std::string uid = link.node;
  for (std::set<std::string> seen; seen.insert(uid).second;) {
    const Node* node = plan.find(uid);
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    if (!kind || kind->inputs.empty() || kind->inputs.front().type != ValueType::Points || kind->inputs.front().isMany)
      return nullptr;
    if (!node->isSkipped && kind->id == kTouchUps) return node;
    if (!node->isSkipped && kind->family == Family::Dress) return nullptr;
    const Link* before = firstLink(*node, kind->inputs.front().id);
    if (!before) return nullptr;
    uid = before->node;
  }
  return nullptr;
}

/// What it has to know to stand there alone.
void keepAs(TouchUp& touch, const TouchTarget& target) {
  touch.stood = target.stood;
  touch.sized = target.sized;
  touch.normal = target.normal;
  touch.height = target.height.value_or(0);
  touch.isFree = touch.isFree || !target.height;
}

}  // namespace

std::vector<TouchGroup> touchable(const Plan& plan, const Evaluation& evaluation, const ShownPoints& shown,
                                  const Task& task) {
  std::vector<TouchGroup> out;
  for (const ShownSource& source : sourcesOf(plan, evaluation, shown)) {
    std::unordered_map<std::uint64_t, std::size_t> meant;
    for (std::size_t i = 0; i < source.points->count; ++i)
      if (source.isMeant(source.points->id[i])) meant.emplace(source.points->id[i], i);
    if (meant.empty()) continue;
    if (const Node* node = touchUpsAbove(plan, source.link)) {
      const nodes::TouchUpsParams params = nodes::touchUpsParams(*node);
      TouchGroup group{{}, node->uid, {}, params.limit, {}};
      const PointsPtr in = inputsOf(plan, evaluation, *node).points();
      const Link* link = firstLink(*node, "ground");
      const GroundUnder ground(evaluation, link ? *link : Link());
      const auto take = [&](const TouchTarget& made) {
        const auto it = meant.find(made.id);
        if (it == meant.end()) return;
        group.targets.push_back(made);
        group.targets.back().showAs(*source.points, it->second);
        meant.erase(it);
      };
      if (in)
        for (const nodes::TouchStanding& s : nodes::standingOf(params, *in))
          if (s.state == nodes::TouchState::Alone && meant.contains(s.touch.id))
            take(targetOf(s.touch, params.touches, ground));
      for (std::size_t i = 0; in && i < in->count && !task.isCancelled(); ++i)
        if (meant.contains(in->id[i])) take(targetOf(*in, i, ground));
      if (!group.targets.empty()) out.push_back(std::move(group));
    }
    if (meant.empty() || task.isCancelled()) continue;
    // What came in behind it, or went through none.
    TouchGroup group;
    group.from = source.link;
    group.ground = groundAbove(plan, source.link.node).second;
    const GroundUnder ground(evaluation, group.ground);
    for (std::size_t i = 0; i < source.points->count && !task.isCancelled(); ++i)
      if (meant.contains(source.points->id[i])) {
        group.targets.push_back(targetOf(*source.points, i, ground));
        group.targets.back().showAs(*source.points, i);
      }
    out.push_back(std::move(group));
  }
  return task.isCancelled() ? std::vector<TouchGroup>() : out;
}

void makeTouchUps(Plan& plan, std::vector<TouchGroup>& groups,
                  const std::function<Node(Plan&, const Node& before)>& newNode) {
  for (TouchGroup& group : groups) {
    if (!group.node.empty() && plan.find(group.node)) continue;
    const Node* before = plan.find(group.from.node);
    if (!before) continue;
    const Node source = *before;  // the plan may move its nodes about
    Node node = newNode(plan, source);
    group.node = node.uid;
    insertBehind(plan, group.from, std::move(node), "ground", group.ground);
  }
}

Vec3 middleOf(const std::vector<TouchGroup>& groups) {
  glm::dvec3 sum(0);
  std::size_t count = 0;
  for (const TouchGroup& group : groups)
    for (const TouchTarget& t : group.targets) {
      sum += glm::dvec3(t.place);
      ++count;
    }
  return count == 0 ? Vec3(0) : Vec3(sum / static_cast<double>(count));
}

TouchUps withChange(const TouchUps& before, const TouchGroup& group,
                    const std::function<void(TouchUp&, TouchUps& among, const TouchTarget&)>& change) {
  using Fate = SharedList<TouchUp>::Fate;
  TouchUps out = before;
  std::unordered_map<std::uint64_t, const TouchTarget*> left;
  for (const TouchTarget& t : group.targets) left.emplace(t.id, &t);
  const auto applied = [&](TouchUp& touch, const TouchTarget& target) {
    change(touch, out, target);
    if (touch.isKept) keepAs(touch, target);
  };
  const auto freshOf = [&](const TouchTarget& target) {
    TouchUp touch;
    touch.id = target.id;
    touch.at = target.at;
    touch.was = out.numberOf(target.prop);
    return touch;
  };
  SharedList<TouchUp> list = before.list;
  list.edit([&](TouchUp& touch) {
    const auto it = left.find(touch.id);
    if (it == left.end()) return Fate::Stays;
    const TouchTarget& target = *it->second;
    left.erase(it);
    if (glm::distance(touch.at, target.at) > group.limit) touch = freshOf(target);  // it was stray, and not seen
    touch.at = target.at;
    applied(touch, target);
    return touch.isNothing() ? Fate::Goes : Fate::Changed;
  });
  std::vector<TouchUp> fresh;
  for (const TouchTarget& target : group.targets) {
    if (!left.contains(target.id)) continue;
    TouchUp touch = freshOf(target);
    applied(touch, target);
    if (!touch.isNothing()) fresh.push_back(touch);
  }
  list.append(fresh);
  out.list = std::move(list);
  return out;
}

TouchUps withDelta(const TouchUps& before, const TouchGroup& group, const TouchDelta& delta, const Vec3& middle) {
  const Quat heading = glm::angleAxis(-radians(delta.headingDeg), kUp);
  const Quat lean = glm::angleAxis(radians(delta.leanDeg), Vec3(1, 0, 0));
  return withChange(before, group, [&](TouchUp& touch, TouchUps&, const TouchTarget& target) {
    Vec3 by = delta.move;
    if (!delta.isEach) by += heading * ((target.place - middle) * delta.size) - (target.place - middle);
    // Without the ground it keeps what height it was given; on it, the ground says.
    touch.isFree = by == Vec3(0) ? touch.isFree : delta.isFree || !target.height;
    touch.move += by;
    touch.lift += delta.lift;
    Quat turn = heading;
    if (delta.leanDeg != 0) turn = heading * (target.orientation * lean * glm::conjugate(target.orientation));
    if (delta.headingDeg != 0 || delta.leanDeg != 0) touch.turn = glm::normalize(turn * touch.turn);
    touch.size *= delta.size;
    touch.tint += delta.tint;
  });
}

namespace {

/// Calls visit(node, settings, points that come in) for the Touch-ups that do something.
void forTouchUps(const Plan& plan, const Evaluation& evaluation,
                 const std::function<void(const Node&, const nodes::TouchUpsParams&, const Points&)>& visit) {
  for (const Node& node : plan.nodes) {
    const nodes::TouchUpsParams params = nodes::touchUpsParams(node);
    if (params.touches.list.empty() || node.isSkipped) continue;
    if (const PointsPtr in = inputsOf(plan, evaluation, node).points()) visit(node, params, *in);
  }
}

}  // namespace

std::size_t waitingTouches(const Plan& plan, const Evaluation& evaluation) {
  std::size_t out = 0;
  forTouchUps(plan, evaluation, [&](const Node&, const nodes::TouchUpsParams& params, const Points& in) {
    for (const nodes::TouchStanding& s : nodes::standingOf(params, in)) out += s.isWaiting();
  });
  return out;
}

std::map<std::string, TouchUps> keepingTouched(const Plan& plan, const Evaluation& evaluation) {
  std::map<std::string, TouchUps> out;
  forTouchUps(plan, evaluation, [&](const Node& node, const nodes::TouchUpsParams& params, const Points& in) {
    const Link* link = firstLink(node, "ground");
    const GroundUnder ground(evaluation, link ? *link : Link());
    TouchGroup group;
    group.node = node.uid;
    group.limit = params.limit;
    for (const nodes::TouchStanding& s : nodes::standingOf(params, in))
      if (s.state == nodes::TouchState::Applied && !s.touch.isRemoved)
        group.targets.push_back(targetOf(in, s.index, ground));
    out[node.uid] = withChange(params.touches, group,
                               [](TouchUp& t, TouchUps&, const TouchTarget&) { t.isKept = true; });
  });
  return out;
}

HandedOn handedOn(const TouchUps& before, const std::vector<TouchUp>& waiting, const Points& in,
                  const GroundUnder& ground, const Task& task) {
  using Fate = SharedList<TouchUp>::Fate;
  HandedOn out{before, 0};
  std::unordered_set<std::uint64_t> touched;
  before.list.forEach([&](const TouchUp& t) { touched.insert(t.id); });
  std::unordered_map<std::uint64_t, std::size_t> to;  // by the id that it had
  for (const TouchUp& t : waiting) {
    if (task.isCancelled()) return out;
    const std::string& was = before.propOf(t.was);
    std::optional<std::size_t> best;
    for (std::size_t i = 0; i < in.count; ++i)
      if ((!best || glm::distance(in.position[i], t.at) < glm::distance(in.position[*best], t.at)) &&
          !touched.contains(in.id[i]) && (was.empty() || propUidOf(in, i) == was))
        best = i;
    if (best) {
      to.emplace(t.id, *best);
      touched.insert(in.id[*best]);
    } else {
      ++out.missing;
    }
  }
  out.touches.list.edit([&](TouchUp& t) {
    const auto it = to.find(t.id);
    if (it == to.end()) return Fate::Stays;
    const TouchTarget target = targetOf(in, it->second, ground);
    t.id = target.id;
    t.at = target.at;
    if (t.isKept) keepAs(t, target);
    return Fate::Changed;
  });
  return out;
}

}  // namespace arvesk
