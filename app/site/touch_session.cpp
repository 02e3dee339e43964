#include "app/site/touch_session.h"

#include "core/spatial/point_grid.h"

#include <algorithm>
#include <array>
#include <set>

namespace arvesk {
namespace {

std::size_t countOf(const std::vector<TouchGroup>& groups) {
  std::size_t out = 0;
  for (const TouchGroup& group : groups) out += group.targets.size();
  return out;
}

/// For each target of the groups, in order: the prop that most of the nearest placements have which are not meant; of
/// as many, the nearest one's.
std::vector<std::string> propsAround(const EvalView& view, const std::vector<TouchGroup>& groups, const Task& task) {
  constexpr std::size_t kNearest = 8;
  std::set<std::array<float, 3>> meant;  // by place: ids differ from link to link
  const auto placeOf = [](const Vec3& p) { return std::array{p.x, p.y, p.z}; };
  for (const TouchGroup& group : groups)
    for (const TouchTarget& t : group.targets) meant.insert(placeOf(t.place));
  Array<PointGrid::Entry> others;
  std::vector<const Prop*> props;
  Box3 box;
  for (const PictureLayer& layer : view.shown) {
    const Points& points = *layer.points;
    if (!points.kit || layer.isGhost) continue;
    for (std::size_t i = 0; i < points.count; ++i) {
      if (points.prop[i] == kNoProp || meant.contains(placeOf(points.position[i]))) continue;
      others.push_back({points.position[i], 0, static_cast<std::uint32_t>(props.size())});
      props.push_back(points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop.get());
      box.add(points.position[i]);
    }
  }
  const float room = std::max(box.extent().x, box.extent().z);
  const float cell = std::max(0.05F, 2 * room / std::sqrt(static_cast<float>(std::max<std::size_t>(1, props.size()))));
  const PointGrid grid(others, cell);
  std::vector<std::string> out;
  for (const TouchGroup& group : groups)
    for (const TouchTarget& t : group.targets) {
      if (task.isCancelled()) return {};
      std::set<std::pair<float, std::uint32_t>> near;
      const float farthest = glm::distance(t.place, box.center()) + glm::length(box.extent());
      for (float reach = cell; near.size() < kNearest && !props.empty(); reach *= 2) {
        grid.near(t.place, reach, [&](const PointGrid::Entry& e) {
          const float distance = glm::distance(e.position, t.place);
          if (distance <= reach) near.emplace(distance, e.index);
          return false;
        });
        if (reach > farthest) break;
      }
      std::map<const Prop*, std::size_t> counts;
      std::size_t rank = 0;
      for (const auto& [distance, k] : near)
        if (rank++ < kNearest) ++counts[props[k]];
      const Prop* best = nullptr;
      rank = 0;
      for (const auto& [distance, k] : near)
        if (rank++ < kNearest && (!best || counts[props[k]] > counts[best])) best = props[k];
      out.push_back(best ? best->uid : std::string());
    }
  return out;
}

}  // namespace

TouchSession::TouchSession(PlanModel* model, QObject* parent) : QObject(parent), m_model(model) {
  connect(&m_changing, &Worker::failed, this, &TouchSession::changeNext);
}

void TouchSession::showResults(const EvalViewPtr& view) {
  m_view = view;
  if (m_isBusy) {
    m_isBehind = true;
    return;
  }
  prepare();
}

void TouchSession::select(const SiteSelection& selection) {
  const bool isOther = selection != m_selection;
  m_selection = selection;
  if (isOther) {  // its handles are not those of what was selected before
    m_groups.clear();
    Q_EMIT changed();
  }
  prepare();
}

void TouchSession::prepare() {
  if (!m_view || m_selection.empty()) {
    m_preparing.cancel();
    if (m_groups.empty()) return;
    m_groups.clear();
    return Q_EMIT changed();
  }
  m_preparing.ask([this, view = m_view, shown = shownOf(m_selection)](const Task& task) -> Worker::Answer {
    auto groups = touchable(view->opened(), view->evaluation, shown, task);
    if (task.isCancelled()) return {};
    const Vec3 middle = middleOf(groups);
    float extent = 0;
    for (const TouchGroup& group : groups)
      for (const TouchTarget& t : group.targets)
        extent = std::max(extent, glm::length(Vec2(t.place.x - middle.x, t.place.z - middle.z)));
    return [this, groups = std::move(groups), middle, extent] {
      if (m_isBusy) {
        m_isBehind = true;
        return;
      }
      m_groups = groups;
      m_middle = middle;
      m_extent = extent;
      m_moved = Vec3(0);
      Q_EMIT changed();
    };
  });
}

std::size_t TouchSession::count() const { return countOf(m_groups); }

bool TouchSession::hasHandles() const {
  const std::size_t n = count();
  return n > 0 && n <= kMostByHandle;
}

std::optional<TouchUp> TouchSession::single() const {
  if (count() != 1) return std::nullopt;
  const auto group = std::find_if(m_groups.begin(), m_groups.end(),
                                  [](const TouchGroup& g) { return !g.targets.empty(); });
  const TouchTarget& target = group->targets.front();
  if (const Node* node = m_model->plan().find(group->node)) {
    const TouchUps touches = nodes::touchUpsParams(*node).touches;
    if (const TouchUp* t = touches.list.find([&](const TouchUp& u) { return u.id == target.id; }))
      if (glm::distance(t->at, target.at) <= group->limit) return *t;
  }
  TouchUp out;
  out.id = target.id;
  out.at = target.at;
  return out;
}

float TouchSession::stepMeters() const {
  for (const TouchGroup& group : m_groups)
    if (const Node* node = m_model->plan().find(group.node)) return nodes::touchUpsParams(*node).step;
  return nodes::TouchUpsParams().step;
}

void TouchSession::begin() {
  if (m_isBusy) end();
  m_isBusy = true;
  ++m_gesture;
  m_movedBefore = m_moved;
  m_before.clear();
  for (const TouchGroup& group : m_groups) {
    const Node* node = m_model->plan().find(group.node);
    m_before.push_back(node ? nodes::touchUpsParams(*node).touches : TouchUps());
  }
}

void TouchSession::apply(const QString& text, const std::function<TouchUps(const TouchGroup&, const TouchUps&)>& made,
                         const QString& mergeKey) {
  m_model->touch(text, m_groups, made, mergeKey);
}

void TouchSession::set(const TouchDelta& delta) {
  if (!m_isBusy || m_before.size() != m_groups.size()) return;
  const QString text = delta.tint != Vec3(0)                         ? tr("Color by hand")
                       : delta.size != 1                             ? tr("Size by hand")
                       : delta.headingDeg != 0 || delta.leanDeg != 0 ? tr("Turn by hand")
                                                                     : tr("Move by hand");
  apply(
      text,
      [&](const TouchGroup& group, const TouchUps&) {
        const auto k = static_cast<std::size_t>(&group - m_groups.data());
        return withDelta(m_before[k], group, delta, m_middle);
      },
      QStringLiteral("touch.%1").arg(m_gesture));
  m_moved = m_movedBefore + delta.move + kUp * delta.lift;
  Q_EMIT changed();
}

void TouchSession::end() {
  if (!m_isBusy) return;
  m_isBusy = false;
  if (m_isBehind) prepare();
  m_isBehind = false;
}

void TouchSession::nudge(const TouchDelta& delta) {
  if (!hasHandles()) return;
  begin();
  set(delta);
  end();
}

/// Off the interface thread: all of a forest may be selected. What was chosen when it was asked for is meant; where the
/// plan was edited meanwhile it is worked out anew, so that nothing that was asked for is lost.
void TouchSession::change(const QString& text, const Change& how) {
  if (!m_groups.empty()) change(text, how, m_groups);
}

void TouchSession::change(const QString& text, const Change& how, const std::vector<TouchGroup>& groups) {
  m_asked.push_back([this, text, how, groups] { changeNow(text, how, groups); });
  if (!m_changing.isBusy()) changeNext();
}

void TouchSession::changeNext() {
  if (m_asked.empty()) return;
  const auto next = std::move(m_asked.front());
  m_asked.pop_front();
  next();
}

void TouchSession::changeNow(const QString& text, const Change& how, std::vector<TouchGroup> groups) {
  // The nodes that what came before it made.
  for (TouchGroup& group : groups)
    for (const TouchGroup& known : m_groups)
      if (group.node.empty() && group.from == known.from) group.node = known.node;
  std::vector<TouchUps> before;
  for (const TouchGroup& group : groups) {
    const Node* node = m_model->plan().find(group.node);
    before.push_back(node ? nodes::touchUpsParams(*node).touches : TouchUps());
  }
  m_changing.ask([this, text, how, groups, before, plan = m_model->snapshot()](const Task&) -> Worker::Answer {
    auto after = std::make_shared<std::vector<TouchUps>>();
    for (std::size_t k = 0; k < groups.size(); ++k) after->push_back(withChange(before[k], groups[k], how));
    return [this, text, how, groups, after, plan] {
      if (plan != m_model->snapshot()) return changeNow(text, how, groups);
      std::vector<TouchGroup> now = groups;
      m_model->touch(text, now, [&](const TouchGroup& group, const TouchUps&) {
        return (*after)[static_cast<std::size_t>(&group - now.data())];
      });
      // What comes next goes to the nodes that were made.
      for (TouchGroup& group : m_groups)
        for (const TouchGroup& made : now)
          if (group.node.empty() && group.from == made.from) group.node = made.node;
      changeNext();
    };
  });
}

void TouchSession::remove() {
  change(tr("Remove by hand"), [](TouchUp& t, TouchUps&, const TouchTarget&) { t.isRemoved = true; });
}

void TouchSession::keep(bool isKept) {
  change(isKept ? tr("Keep by hand") : tr("Keep no longer"),
         [isKept](TouchUp& t, TouchUps&, const TouchTarget&) { t.isKept = isKept; });
}

void TouchSession::swapFor(const QString& propUid) {
  change(tr("Swap by hand"), [prop = propUid.toStdString()](TouchUp& t, TouchUps& among, const TouchTarget& target) {
    t.prop = prop == target.prop ? 0 : among.numberOf(prop);
  });
}

void TouchSession::makeAsOthers() {
  if (!m_view || m_groups.empty()) return;
  m_looking.ask([this, view = m_view, groups = m_groups](const Task& task) -> Worker::Answer {
    const std::vector<std::string> props = propsAround(*view, groups, task);
    if (task.isCancelled()) return {};
    auto wanted = std::make_shared<std::map<std::uint64_t, std::string>>();
    std::size_t n = 0;
    for (const TouchGroup& group : groups)
      for (const TouchTarget& t : group.targets) (*wanted)[t.id] = props[n++];
    return [this, groups, wanted] {
      if (std::all_of(wanted->begin(), wanted->end(), [](const auto& w) { return w.second.empty(); }))
        return Q_EMIT told(tr("No others stand around"));
      change(
          tr("As the others around"),
          [wanted](TouchUp& t, TouchUps& among, const TouchTarget& target) {
            const std::string& prop = wanted->at(target.id);
            if (!prop.empty()) t.prop = prop == target.prop ? 0 : among.numberOf(prop);
          },
          groups);
    };
  });
}

void TouchSession::undoTouches() {
  change(tr("Take touch-ups back"), [](TouchUp& t, TouchUps&, const TouchTarget&) {
    TouchUp plain;
    plain.id = t.id;
    plain.at = t.at;
    plain.was = t.was;
    t = plain;
  });
}

QString TouchSession::makeOwnVariant() {
  for (const TouchGroup& group : m_groups)
    for (const TouchTarget& target : group.targets) {
      const auto now = single();
      std::string from = target.prop;
      if (now && now->prop > 0)
        if (const Node* node = m_model->plan().find(group.node))
          from = nodes::touchUpsParams(*node).touches.propOf(now->prop);
      const PropEntry* entry = m_model->plan().findProp(from);
      if (!entry) continue;
      PropEntry own = *entry;
      own.uid = newUid();
      const auto isTaken = [&](const std::string& name) {
        return std::any_of(m_model->plan().props.begin(), m_model->plan().props.end(),
                           [&](const PropEntry& e) { return e.name == name; });
      };
      for (int n = 2; isTaken(own.name); ++n) own.name = entry->name + " " + std::to_string(n);
      own.weight = 0;  // no name and no tag finds it: only those that name it have it
      const QString step = QStringLiteral("own.%1").arg(QString::fromStdString(own.uid));
      m_model->edit(
          tr("Own variant"), [&](Plan& plan) { plan.props.push_back(own); }, step);
      apply(
          tr("Own variant"),
          [&](const TouchGroup& g, const TouchUps& touches) {
            return withChange(
                touches, g, [&](TouchUp& t, TouchUps& among, const TouchTarget&) { t.prop = among.numberOf(own.uid); });
          },
          step);
      return QString::fromStdString(own.uid);
    }
  Q_EMIT told(tr("Only what has a prop of the Kit can have a variant of its own"));
  return {};
}

}  // namespace arvesk
