// One slider does not reshuffle the picture: a nudge of any number of any kind, under each of its choices, changes
// little. Points keep their ids, places, turns, sizes and props, masks their values; a whole number that grows by one
// gives only its share anew.
#include "tests/support/kinds.h"

#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

/// What cannot go gently, and why.
enum class Goes { Along, Anew };
struct Hard {
  const char* kind;
  const char* param;
  Goes goes;  // everything moves along with it, on purpose; or what it does has no "a little" by its nature
};
const std::vector<Hard> kHard = {
    {"markers", "unit_scale", Goes::Along},
    {"markers", "move", Goes::Along},
    {"markers", "turn", Goes::Along},
    {"markers", "size", Goes::Along},
    {"point-file", "move", Goes::Along},
    {"pattern", "step", Goes::Along},
    {"pattern", "center", Goes::Along},
    {"pattern", "count", Goes::Along},
    {"pattern", "rows", Goes::Along},
    {"pattern", "radius", Goes::Along},
    {"pattern", "turn", Goes::Along},
    {"planting-grid", "spacing", Goes::Along},
    {"planting-grid", "row_spacing", Goes::Along},
    {"planting-grid-in-volume", "spacing", Goes::Along},
    {"planting-grid-in-volume", "turn", Goes::Along},
    {"sow-in-volume", "spacing", Goes::Anew},  // as on surfaces
    {"sow-in-volume", "spacings", Goes::Anew},
    {"planting-grid", "turn", Goes::Along},
    {"courses", "height_step", Goes::Anew},  // lines of other heights begin and run elsewhere
    {"courses", "distance", Goes::Anew},
    {"courses", "pitch", Goes::Along},
    {"courses", "stagger", Goes::Along},
    {"courses", "row", Goes::Along},
    {"courses", "heading_angle", Goes::Anew},  // rows that run elsewhere hold other cells
    {"at-home", "move", Goes::Along},
    {"hit", "away", Goes::Along},
    {"hit", "reach", Goes::Anew},  // who is hit, and what falls with it
    {"move-as-one", "pivot", Goes::Along},
    {"move-as-one", "place", Goes::Along},
    {"move-as-one", "tilt", Goes::Along},
    {"move-as-one", "heading", Goes::Along},
    {"move-as-one", "size", Goes::Along},
    {"make-room", "rounds", Goes::Along},
    {"points-of-surface", "cell", Goes::Along},  // the cells lie elsewhere
    {"points-of-surface", "cell_turn", Goes::Along},
    {"points-of-surface", "face_angle", Goes::Anew},  // what is one face, or is not
    {"sow-on-surface", "spacing", Goes::Anew},        // Even: who keeps clear of whom is found anew (declared)
    {"sow-on-surface", "spacings", Goes::Anew},
    {"clumps", "radius", Goes::Anew},  // with a separation: who is near whom changes everywhere
    {"clumps", "count", Goes::Anew},
    {"on-props", "spacing", Goes::Anew},
    {"at-most", "every", Goes::Anew},    // declared
    {"choose", "number", Goes::Anew},    // another input
    {"picture", "repeats", Goes::Anew},  // two pictures side by side are not one
};

struct Difference {
  double lost = 0;     // share of points that go away
  double moved = 0;    // m, on average over the points that stay
  double turned = 0;   // degrees
  double sized = 0;    // share
  double dressed = 0;  // share of points with another prop
  double value = 0;    // of masks
  std::string text() const {
    return "lost " + std::to_string(lost) + ", moved " + std::to_string(moved) + " m, turned " +
           std::to_string(turned) + " deg, sized " + std::to_string(sized) + ", dressed " + std::to_string(dressed) +
           ", value " + std::to_string(value);
  }
};

std::string propOf(const Points& p, std::size_t i) {
  return p.kit && p.prop[i] != kNoProp ? p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->uid : std::string();
}

Difference between(const Points& a, const Points& b) {
  std::map<std::uint64_t, std::size_t> places;
  for (std::size_t i = 0; i < a.count; ++i) places[a.id[i]] = i;
  Difference d;
  std::size_t same = 0;
  for (std::size_t i = 0; i < b.count; ++i) {
    const auto it = places.find(b.id[i]);
    if (it == places.end()) continue;
    const std::size_t k = it->second;
    ++same;
    d.moved += static_cast<double>(glm::distance(a.position[k], b.position[i]));
    d.turned += 2 *
                std::acos(std::min(1.0, static_cast<double>(std::abs(glm::dot(a.orientation[k], b.orientation[i]))))) *
                57.2958;
    d.sized += static_cast<double>(glm::distance(a.size[k], b.size[i]) / std::max(glm::length(a.size[k]), 1e-6F));
    d.dressed += propOf(a, k) != propOf(b, i);
  }
  d.lost = a.count > 0 ? 1 - static_cast<double>(same) / static_cast<double>(a.count) : 0;
  for (double* mean : {&d.moved, &d.turned, &d.sized, &d.dressed})
    *mean /= std::max<double>(1, static_cast<double>(same));
  return d;
}

Difference between(const Outputs& a, const Outputs& b) {
  if (const auto* points = std::get_if<PointsPtr>(&a.front()))
    return between(**points, *std::get<PointsPtr>(b.front()));
  Difference d;
  if (const auto* mask = std::get_if<MaskPtr>(&a.front())) {
    const Array<float> before = maskValues({}, **mask, *pointsOnGround());
    const Array<float> after = maskValues({}, *std::get<MaskPtr>(b.front()), *pointsOnGround());
    for (std::size_t i = 0; i < before.size(); ++i)
      d.value += static_cast<double>(std::abs(before[i] - after[i])) / static_cast<double>(before.size());
  }
  return d;
}

/// The value a little farther; nothing for what has no "little".
std::optional<ParamValue> nudged(const ParamSpec& spec, const ParamValue& value, int way) {
  const double by = way * (spec.usualMax - spec.usualMin) * 1e-3;
  if (spec.type == ParamType::Integer) return std::get<double>(value) + way;
  if (spec.type == ParamType::Number) return std::get<double>(value) + by;
  if (spec.type != ParamType::Vector && spec.type != ParamType::Range && spec.type != ParamType::Band)
    return std::nullopt;
  auto numbers = std::get<std::vector<double>>(value);
  // One side of a range or band moves outward: many values are exactly at an end, and nothing lies beyond it.
  const std::size_t half = spec.type == ParamType::Vector ? 0 : numbers.size() / 2;
  for (std::size_t i = way > 0 ? half : 0; i < (way > 0 || half == 0 ? numbers.size() : half); ++i) numbers[i] += by;
  return numbers;
}

}  // namespace

class TestNudges : public EveryKind {
  Q_OBJECT

 private Q_SLOTS:
  void aNudgeChangesLittle_data() { everyKind(); }
  void aNudgeChangesLittle() {
    const NodeKind& k = kind();
    const Inputs in = inputsFor(k, pointsOnGround());
    std::vector<ParamMap> settings{k.trial.params};
    for (const ParamSpec& spec : k.params)
      if (spec.type == ParamType::Choice && isShown(k, spec, k.trial.params))
        for (const Option& o : spec.options) {
          settings.push_back(k.trial.params);
          settings.back()[spec.id] = o.id;
        }
    for (const ParamSpec& spec : k.params)  // with all of a row of parameters
      if (!spec.countedBy.empty() && spec.countedFrom == k.findParam(spec.countedBy)->hardMax) {
        settings.push_back(k.trial.params);
        settings.back()[spec.countedBy] = spec.countedFrom;
      }
    for (const ParamSpec& spec : k.params) {  // and what shows only under several choices
      const bool isSeen = std::any_of(settings.begin(), settings.end(),
                                      [&](const ParamMap& setting) { return isShown(k, spec, setting); });
      if (isSeen || (spec.type != ParamType::Number && spec.type != ParamType::Integer)) continue;
      settings.push_back(k.trial.params);
      for (const ParamSpec* s = &spec; s && !s->shownBy.empty(); s = k.findParam(s->shownBy))
        if (k.findParam(s->shownBy)->type == ParamType::Choice)
          settings.back()[s->shownBy] = s->shownFor.front();
        else if (k.findParam(s->shownBy)->type == ParamType::Toggle)
          settings.back()[s->shownBy] = s->shownFor.front() == "on";
    }
    std::set<std::string> tried;
    for (const ParamMap& setting : settings) {
      test::Bench bench;
      const auto before = bench.run(k.id, in, setting);
      if (!before) continue;
      for (const ParamSpec& spec : k.params) {
        if (!isShown(k, spec, setting)) continue;
        const auto it = setting.find(spec.id);
        const ParamValue& now = it == setting.end() ? spec.defaultValue : it->second;
        auto value = nudged(spec, now, 1);
        if (value && !faultOf(spec, *value).empty()) value = nudged(spec, now, -1);  // it stands at its end
        if (!value || !faultOf(spec, *value).empty()) continue;
        ParamMap next = setting;
        next[spec.id] = *value;
        const auto after = bench.run(k.id, in, next);
        QVERIFY2(after, spec.id.c_str());
        tried.insert(spec.id);
        const Difference d = between(*before, *after);
        std::string words = k.id + "." + spec.id;
        for (const auto& [id, v] : setting)
          if (const auto* s = std::get_if<std::string>(&v)) words += " " + id + "=" + *s;
        const auto hard = std::find_if(kHard.begin(), kHard.end(),
                                       [&](const Hard& h) { return k.id == h.kind && spec.id == h.param; });
        if (hard != kHard.end() && hard->goes == Goes::Anew) continue;
        // A whole number that grows by one takes its share from the others; a mask of some parts may go a little
        // farther.
        const bool isWhole = spec.type == ParamType::Integer;
        const double share = isWhole               ? 1.5 / std::get<double>(*value)
                             : hard != kHard.end() ? 0.04
                                                   : 0.02;  // what moves leaves at the edge
        const bool isInPlace = hard != kHard.end() ||
                               (d.moved < (isWhole ? share : 0.03) && d.turned < 1 && d.sized < 0.02);
        QVERIFY2(isInPlace && d.lost <= share + 0.01 && d.dressed < 0.02 && d.value < 0.06,
                 (words + ": " + d.text()).c_str());
      }
    }
    for (const ParamSpec& spec : k.params)
      if (spec.type == ParamType::Number || spec.type == ParamType::Integer)
        QVERIFY2(tried.contains(spec.id), (spec.id + " was never tried").c_str());
  }
};

QTEST_GUILESS_MAIN(TestNudges)
#include "tst_nudges.moc"
