// Touch-ups: they hold for their placement and no other, whatever is changed above them; what is kept stays; the same
// in draft and final; lines in files.
#include "core/deliver/touch_stroke.h"
#include "core/formats/plan_file.h"
#include "core/formats/plan_json.h"
#include "core/nodes/adjust/touch_ups.h"
#include "core/props/coloring.h"
#include "tests/support/plans.h"

#include <random>

using namespace arvesk;
using nodes::TouchState;
using test::node;
using test::planOf;
using test::within;

namespace {

TouchUp anyTouch(std::mt19937& random, std::uint32_t props) {
  std::uniform_real_distribution<float> unit(-1, 1);
  const auto vec = [&] { return Vec3(unit(random), unit(random), unit(random)); };
  const auto turn = [&] { return glm::normalize(Quat(unit(random), unit(random), unit(random), unit(random))); };
  TouchUp t;
  t.id = static_cast<std::uint64_t>(random()) << 32 | random();
  t.isRemoved = random() % 4 == 0;
  t.isKept = random() % 4 == 0;
  t.isFree = random() % 4 == 0;
  t.was = static_cast<std::uint32_t>(random()) % (props + 1);
  t.prop = static_cast<std::uint32_t>(random()) % (props + 1);
  t.at = 300.0F * vec();
  t.move = random() % 2 ? Vec3(0) : vec();
  t.lift = random() % 2 ? 0 : unit(random);
  t.turn = random() % 2 ? Quat(1, 0, 0, 0) : turn();
  t.size = random() % 2 ? Vec3(1) : vec();
  t.tint = random() % 4 ? Vec3(0) : vec();
  if (t.isKept) {
    t.stood = turn();
    t.sized = vec();
    t.normal = directionOr(vec(), kUp);
    t.height = unit(random);
  }
  return t;
}

TouchUps anyTouches(std::mt19937& random, std::size_t count) {
  TouchUps out;
  for (const char* prop : {"post", "block", "tuft"}) (void)out.numberOf(prop);
  std::vector<TouchUp> list(count);
  for (TouchUp& t : list) t = anyTouch(random, 3);
  out.list.append(list);
  return out;
}

struct Files {
  std::shared_ptr<DiskFileService> service = std::make_shared<DiskFileService>(
      test::sourcePath("demo/tern-cove").toStdString());
  Evaluation evaluated(const Plan& plan, Quality quality = Quality::Final) const {
    EvalRequest request;
    request.quality = quality;
    return Evaluator(service).evaluate(plan, request);
  }
};

PointsPtr pointsOf(const Evaluation& e, const std::string& uid, std::size_t output = 0) {
  const auto it = e.values.find(uid);
  return it == e.values.end() ? nullptr : std::get<PointsPtr>(it->second.at(output));
}

std::map<std::uint64_t, std::size_t> placesById(const Points& p) {
  std::map<std::uint64_t, std::size_t> out;
  for (std::size_t i = 0; i < p.count; ++i) out[p.id[i]] = i;
  return out;
}

std::vector<std::uint64_t> printOf(const Points& p, std::size_t i) {
  return test::fingerprint(std::make_shared<const Points>(gathered(p, {static_cast<std::uint32_t>(i)})));
}

/// A flat or sloping ground of 40 m with an even scatter, and Touch-ups on it.
Plan planWithTouches(const TouchUps& touches, double spacing = 2) {
  return planOf(
      {node("ground", "shape", {{"extent", std::vector<double>{40, 1, 40}}}),
       node("sow", "sow-on-surface", {{"way", std::string("even")}, {"spacing", spacing}}, {{"surface", "ground"}}),
       node("touch", "touch-ups", {{"touches", touches}}, {{"points", "sow"}, {"ground", "ground"}}),
       node("out", "output", {}, {{"points", "touch"}})});
}

/// One point of those that come in, touched by `change`.
TouchUps oneTouched(const Points& in, std::size_t i, const std::function<void(TouchUp&, TouchUps&)>& change) {
  TouchUps out;
  TouchUp t;
  t.id = in.id[i];
  t.at = in.position[i];
  change(t, out);
  out.list.append(std::span(&t, 1));
  return out;
}

/// A few hundred points on bumpy ground, through five nodes that people put there, dressed, delivered; small, so that a
/// thousand edits can be tried.
Plan smallPlan(std::mt19937& random) {
  std::vector<Node> nodes{
      node("ground", "shape", {{"form", std::string("torus")}, {"radius", 14.0}, {"tube_radius", 6.0}}),
      node("slope", "slope", {}, {{"ground", "ground"}}), node("noise", "noise", {{"size", 5.0}}),
      node("kit", "choose-props", {{"pattern", std::string("*")}}),
      node("sow", "sow-on-surface", {{"density", 0.4}, {"footprint", 0.4}}, {{"surface", "ground"}})};
  const std::vector<std::string> kinds{"keep-by-slope",  "keep-by-mask", "clearance", "at-most",
                                       "set-down",       "orient",       "vary",      "order",
                                       "shift-by-noise", "color",        "share-out"};
  std::string last = "sow";
  for (int k = 0; k < 5; ++k) {
    const std::string kind = kinds[random() % kinds.size()];
    const std::string uid = kind + std::to_string(k);
    const NodeKind& declared = *findNodeKind(kind);
    Node n = node(uid, kind, declared.trial.params, {{declared.inputs.front().id, last}});
    for (const InputSpec& in : declared.inputs) {
      if (in.type == ValueType::Mask) n.inputs[in.id] = {{random() % 2 ? "slope" : "noise", "mask", uid + in.id}};
      if (in.type == ValueType::Surface) n.inputs[in.id] = {{"ground", "surface", uid + in.id}};
    }
    nodes.push_back(std::move(n));
    last = uid;
  }
  nodes.push_back(node("dress", "dress", {}, {{"points", last}, {"kit", "kit"}}));
  nodes.push_back(node("out", "output", {}, {{"points", "dress"}}));
  Plan plan = planOf(std::move(nodes));
  for (const char* name : {"pebble-a", "pebble-b"}) {
    PropEntry& prop = plan.props.emplace_back();
    prop.uid = prop.name = name;
    prop.file = std::string("kit/") + name + ".glb";
  }
  return plan;
}

Node touchNode(Plan&, const Node&) { return node(newUid(), "touch-ups"); }

}  // namespace

class TestTouchUps : public QObject {
  Q_OBJECT

  Files m_files;

 private Q_SLOTS:
  void plansKeepThemToTheBit() {
    std::mt19937 random(9);
    const Plan plan = planWithTouches(anyTouches(random, 20'000));
    const std::string text = formatPlan(plan);
    const auto read = parsePlan(text, {});
    QVERIFY2(read, read ? "" : toLine(read.error()).c_str());
    QVERIFY(read->find("touch")->params == plan.find("touch")->params);
    QCOMPARE(formatPlan(*read), text);
    // Any line that a file may hold is one, or is refused, kept as it was and told.
    const std::string good = formatPlan(planWithTouches(anyTouches(random, 5)));
    int refused = 0;
    for (int i = 0; i < 3000; ++i) {
      std::string damaged = good;
      const std::size_t from = damaged.find("\"touches\": {");
      const std::size_t at = from + random() % (damaged.find('}', from) - from);
      const char with[] = "0123456789 .-+erkf=xn\"{}[],:";
      damaged[at] = with[random() % (sizeof with - 1)];
      const auto other = parsePlan(damaged, {});
      if (!other) continue;  // no JSON any more
      const Node& touch = *other->find("touch");
      if (touch.refused.empty()) {
        nodes::touchUpsParams(touch).touches.list.forEach([](const TouchUp& t) {
          QVERIFY(isFinite(t.at) && isFinite(t.move) && glm::length(t.normal) > 0.9F && glm::length(t.turn) > 0.9F);
        });
        continue;
      }
      ++refused;
      QCOMPARE(m_files.evaluated(*other).reports.at("touch").state, NodeState::Failed);
      const auto again = parsePlan(formatPlan(*other), {});
      QVERIFY(again && again->find("touch")->refused == touch.refused);
    }
    QVERIFY(refused > 100);
  }

  /// Each thing that a hand does, by its known answer.
  void whatIsDoneIsDone() {
    const Evaluation before = m_files.evaluated(planWithTouches({}));
    const PointsPtr in = pointsOf(before, "touch");
    QVERIFY(in->count > 100);
    const std::size_t i = in->count / 2;
    const auto touched = [&](const std::function<void(TouchUp&, TouchUps&)>& change, bool isTinted = false) {
      const Evaluation e = m_files.evaluated(planWithTouches(oneTouched(*in, i, change)));
      const PointsPtr out = pointsOf(e, "touch");
      // All others are as they were.
      for (std::size_t k = 0; k < in->count; ++k)
        if (k != i && (in->id[k] != out->id[k] || (!isTinted && printOf(*in, k) != printOf(*out, k))))
          return PointsPtr();
      return out;
    };
    const auto same = [](const Vec3& a, const Vec3& b) { return glm::distance(a, b) < 1e-4F; };
    PointsPtr out = touched([](TouchUp& t, TouchUps&) { t.move = {0.5F, 3, -0.25F}; });
    QVERIFY(out && same(out->position[i], in->position[i] + Vec3(0.5F, 0, -0.25F)));  // the ground says how high
    out = touched([](TouchUp& t, TouchUps&) {
      t.move = {0.5F, 3, -0.25F};
      t.isFree = true;
    });
    QVERIFY(out && same(out->position[i], in->position[i] + Vec3(0.5F, 3, -0.25F)));
    out = touched([](TouchUp& t, TouchUps&) { t.lift = 0.7F; });
    QVERIFY(out && same(out->position[i], in->position[i] + Vec3(0, 0.7F, 0)));
    const Quat turn = glm::angleAxis(radians(90), Vec3(1, 0, 0));
    out = touched([&](TouchUp& t, TouchUps&) { t.turn = turn; });
    QVERIFY(out && same(out->orientation[i] * kUp, turn * (in->orientation[i] * kUp)));
    out = touched([](TouchUp& t, TouchUps&) { t.size = {2, 3, 4}; });
    QVERIFY(out && same(out->size[i], in->size[i] * Vec3(2, 3, 4)));
    out = touched([](TouchUp& t, TouchUps&) { t.tint = {0.1F, 0, 0}; }, true);
    QVERIFY(out && same((*columnOf<Column<Vec3>>(out->attributes, kTint))[i], {0.1F, 0, 0}));
    const TouchUps removing = oneTouched(*in, i, [](TouchUp& t, TouchUps&) { t.isRemoved = true; });
    const Evaluation removed = m_files.evaluated(planWithTouches(removing));
    QCOMPARE(pointsOf(removed, "touch")->count, in->count - 1);
    QVERIFY(pointsOf(removed, "touch", 1)->count == 1 && pointsOf(removed, "touch", 1)->id[0] == in->id[i]);
  }

  /// What was moved along the ground stands on it when that is changed; what leaned with it leans on.
  void movedOnesStandOnTheGround() {
    Plan plan = planWithTouches({});
    plan.find("ground")->params = {{"form", std::string("ball")}, {"radius", 10.0}};
    const PointsPtr in = pointsOf(m_files.evaluated(plan), "touch");
    TouchUps touches;
    std::vector<TouchUp> list;
    for (std::size_t i = 0; i < in->count; i += 5) {
      TouchUp t;
      t.id = in->id[i];
      t.at = in->position[i];
      t.move = {0.3F, 0, 0.4F};
      list.push_back(t);
    }
    touches.list.append(list);
    plan.find("touch")->params["touches"] = touches;
    plan.find("touch")->params["limit"] = 50.0;
    for (const double radius : {10.0, 10.5, 12.0}) {
      plan.find("ground")->params["radius"] = radius;
      const Evaluation e = m_files.evaluated(plan);
      const PointsPtr out = pointsOf(e, "touch");
      const SurfacePtr ground = e.firstOf<SurfacePtr>("ground");
      const auto index = *SurfaceIndex::of(*ground);
      for (std::size_t i = 0; i < out->count; ++i)
        QVERIFY(std::abs(index->nearest(out->position[i], 10).distance) < 1e-3F);
    }
    // As far as it leaned with the first ground.
    const Vec3 steep = glm::normalize(Vec3(1, 1, 0));
    const Quat upright(1, 0, 0, 0);
    QVERIFY(nodes::turnWithGround(upright, steep, kUp) == Quat(1, 0, 0, 0));
    const Quat leaning = shortestTurn(kUp, steep);
    const Vec3 now = nodes::turnWithGround(leaning, steep, kUp) * (leaning * kUp);
    QVERIFY(glm::distance(now, kUp) < 1e-5F);
  }

  /// A kept one stays when its rule no longer makes it, and when a filter behind would take it.
  void keptOnesStay() {
    Plan plan = planWithTouches({});
    const PointsPtr in = pointsOf(m_files.evaluated(plan), "touch");
    const std::size_t i = in->count / 3;
    plan.find("touch")->params["touches"] = oneTouched(*in, i, [&](TouchUp& t, TouchUps&) {
      t.isKept = true;
      t.stood = in->orientation[i];
      t.sized = in->size[i];
      t.normal = in->groundNormal[i];
      t.lift = 0.2F;
    });
    // Behind: a filter that takes all.
    plan.nodes.push_back(node("nowhere", "expression", {{"text", std::string("0")}}));
    plan.nodes.push_back(node("none", "keep-by-mask", {}, {{"points", "touch"}, {"mask", "nowhere"}}));
    plan = planOf(plan.nodes);
    Evaluation e = m_files.evaluated(plan);
    QCOMPARE(pointsOf(e, "none")->count, std::size_t{1});
    QCOMPARE(pointsOf(e, "none", 1)->count, in->count - 1);
    QCOMPARE(e.reports.at("none").passed.at(0), std::size_t{1});
    QVERIFY(pointsOf(e, "none")->id[0] == in->id[i]);
    // Before: its rule makes nothing at all.
    plan.find("sow")->params["spacing"] = 1000.0;
    plan.find("sow")->params["way"] = std::string("free");
    plan.find("sow")->params["density"] = 0.0;
    e = m_files.evaluated(plan);
    const PointsPtr out = pointsOf(e, "none");
    QVERIFY(out && out->count == 1 && out->id[0] == in->id[i]);
    QVERIFY(glm::distance(out->position[0], in->position[i] + Vec3(0, 0.2F, 0)) < 1e-3F);
    // One that is removed further on is gone, kept or not.
    plan.nodes.push_back(node("last", "touch-ups",
                              {{"touches", oneTouched(*in, i, [&](TouchUp& t, TouchUps&) { t.isRemoved = true; })}},
                              {{"points", "none"}}));
    plan = planOf(plan.nodes);
    QCOMPARE(pointsOf(m_files.evaluated(plan), "last")->count, std::size_t{0});
  }

  /// Over random edits of random plans: every touch-up whose placement is there holds, to the known answer; all others
  /// are as they came in, to the bit; a draft is part of final and has every touched one.
  void randomEditsAboveThem() {
    std::mt19937 random(77);
    std::uniform_real_distribution<float> unit(-1, 1);
    std::size_t held = 0;
    std::size_t asleep = 0;
    std::size_t stray = 0;
    std::size_t alone = 0;
    std::size_t rounds = 0;
    constexpr int kSmall = 50;
    for (int p = 0; p < kSmall + 4; ++p) {
      Plan plan = p < kSmall ? smallPlan(random) : test::randomPlan(random);
      Evaluation e = m_files.evaluated(plan);
      // Some of what an output shows, followed back to where their touch-ups go.
      ShownPoints shown;
      for (const Node& n : plan.nodes)
        if (kindOf(n)->isLayer && pointsOf(e, n.uid) && pointsOf(e, n.uid)->count > 20)
          shown[n.uid] = [](std::uint64_t id) { return mix64(id) % 6 == 0; };
      std::vector<TouchGroup> groups = touchable(plan, e, shown, {});
      if (groups.empty()) continue;
      makeTouchUps(plan, groups, &touchNode);
      const std::string prop = plan.props.empty() ? std::string() : plan.props.front().uid;
      for (const TouchGroup& group : groups) {
        std::size_t n = 0;
        plan.find(group.node)->params["touches"] = withChange(
            {}, group, [&](TouchUp& t, TouchUps& among, const TouchTarget&) {
              switch (n++ % 6) {
                case 0: t.isRemoved = true; break;
                case 1:
                  t.move = 0.4F * Vec3(unit(random), unit(random), unit(random));
                  t.isFree = true;
                  break;
                case 2: t.turn = glm::angleAxis(unit(random), glm::normalize(Vec3(0.3F, 1, 0.2F))); break;
                case 3: t.size = Vec3(1.5F + unit(random)); break;
                case 4: t.isKept = true; break;
                default: prop.empty() ? void(t.lift = 0.3F) : void(t.prop = among.numberOf(prop));
              }
            });
      }
      for (int k = 0; k < (p < kSmall ? 25 : 4); ++k) {
        std::vector<Node> before;
        for (const TouchGroup& group : groups) before.push_back(*plan.find(group.node));
        test::randomEdit(plan, random, "demo/tern-cove");
        for (const Node& n : before) *plan.find(n.uid) = n;
        e = m_files.evaluated(plan);
        const Evaluation draft = m_files.evaluated(plan, Quality::Draft);
        ++rounds;
        for (const TouchGroup& group : groups) {
          const Node& touch = *plan.find(group.node);
          const PointsPtr in = inputsOf(plan, e, touch).points();
          const PointsPtr out = pointsOf(e, group.node);
          if (!in || !out) continue;
          const auto incoming = placesById(*in);
          const auto outgoing = placesById(*out);
          const nodes::TouchUpsParams params = nodes::touchUpsParams(touch);
          std::set<std::uint64_t> touched;
          std::size_t removed = 0;
          std::size_t added = 0;
          params.touches.list.forEach([&](const TouchUp& t) {
            const auto it = incoming.find(t.id);
            if (it == incoming.end()) {
              t.isKept ? ++alone : ++asleep;
              added += t.isKept;
              QCOMPARE(outgoing.contains(t.id), t.isKept);
              return;
            }
            const std::size_t i = it->second;
            const bool holds = t.isKept && !t.isRemoved;
            if (glm::distance(in->position[i], t.at) > (holds ? 0.01F : params.limit)) {
              ++stray;
              touched.insert(holds ? t.id : 0);
              if (holds) QVERIFY(glm::distance(out->position[outgoing.at(t.id)], t.at) < 60);  // on the ground there
              return;  // else as it came in: checked below
            }
            ++held;
            touched.insert(t.id);
            removed += t.isRemoved;
            QCOMPARE(outgoing.contains(t.id), !t.isRemoved);
            if (t.isRemoved) return;
            const std::size_t o = outgoing.at(t.id);
            QVERIFY(glm::distance(out->position[o], in->position[i] + t.move + Vec3(0, t.lift, 0)) < 1e-3F);
            QVERIFY(std::abs(glm::dot(out->orientation[o], t.turn * in->orientation[i])) > 1 - 1e-5F);
            QVERIFY(glm::distance(out->size[o], in->size[i] * t.size) < 1e-4F);
            QCOMPARE(out->isKept[o] != 0, t.isKept);
            if (t.prop > 0 && out->kit && plan.findProp(prop))
              QCOMPARE(out->kit->entries[static_cast<std::size_t>(out->prop[o])].prop->uid, prop);
          });
          QCOMPARE(out->count, in->count - removed + added);
          // Tint may join as a column; nobody tints here.
          for (std::size_t i = 0; i < in->count; i += 1 + in->count / 300)
            if (!touched.contains(in->id[i])) QVERIFY(printOf(*in, i) == printOf(*out, outgoing.at(in->id[i])));
          if (const PointsPtr few = pointsOf(draft, group.node)) {
            const auto there = placesById(*few);
            for (const auto& [id, i] : there) {
              QVERIFY(outgoing.contains(id));
              QVERIFY(printOf(*few, i) == printOf(*out, outgoing.at(id)));
            }
            for (const std::uint64_t id : touched) QCOMPARE(there.contains(id), outgoing.contains(id));
          }
        }
      }
    }
    qInfo("%zu edits: %zu held, %zu asleep, %zu stray, %zu kept alone", rounds, held, asleep, stray, alone);
    QVERIFY(rounds >= 1000 && held > 10'000 && asleep > 500 && alone > 100);
  }

  /// What grows on a rock goes where a hand moves that, through a merge too; a second touch goes to the same node.
  void growthGoesAlong() {
    Plan plan = planOf(
        {node("ground", "shape", {{"extent", std::vector<double>{40, 1, 40}}}),
         node("a", "sow-on-surface", {{"way", std::string("even")}, {"spacing", 6.0}}, {{"surface", "ground"}}),
         node("b", "sow-on-surface", {{"way", std::string("even")}, {"spacing", 7.0}}, {{"surface", "ground"}}),
         node("around", "clumps", {}, {{"parents", "a"}}), node("both", "merge", {}, {{"points", "a|b"}}),
         node("out", "output", {}, {{"points", "both"}})});
    Evaluation e = m_files.evaluated(plan);
    const PointsPtr all = pointsOf(e, "out");
    const ShownPoints shown{{"out", [](std::uint64_t) { return true; }}};
    std::vector<TouchGroup> groups = touchable(plan, e, shown, {});
    QCOMPARE(groups.size(), std::size_t{2});  // each branch keeps its own
    QCOMPARE(groups[0].targets.size() + groups[1].targets.size(), all->count);
    makeTouchUps(plan, groups, &touchNode);
    QCOMPARE(plan.find("around")->inputs.at("parents").front().node, groups[0].node);
    TouchDelta delta;
    delta.move = {1.5F, 0, 0};
    for (const TouchGroup& group : groups)
      plan.find(group.node)->params["touches"] = withDelta({}, group, delta, middleOf(groups));
    e = m_files.evaluated(plan);
    const PointsPtr moved = pointsOf(e, "out");
    QCOMPARE(moved->count, all->count);
    for (std::size_t i = 0; i < all->count; ++i) {
      QVERIFY(moved->id[i] == all->id[i]);
      QVERIFY(std::abs(moved->position[i].x - all->position[i].x - 1.5F) < 1e-3F || all->position[i].x > 18.4F);
    }
    // Turned about their middle as one: the middle stays, distances stay.
    const std::vector<TouchGroup> again = touchable(plan, e, shown, {});
    QVERIFY(again.size() == 2 && again[0].node == groups[0].node && again[1].node == groups[1].node);
    TouchDelta turn;
    turn.headingDeg = 90;
    const Vec3 middle = middleOf(again);
    const TouchGroup& group = again[0];
    const TouchUps touches = withDelta(nodes::touchUpsParams(*plan.find(group.node)).touches, group, turn, middle);
    std::size_t k = 0;
    touches.list.forEach([&](const TouchUp& t) {
      const TouchTarget& target = group.targets[k++];
      const Vec3 from = target.place - middle;
      const Vec3 to = target.at + t.move - middle;  // clockwise from above: north (−Z) goes to east (+X)
      QVERIFY(t.id == target.id && glm::distance(to, Vec3(-from.z, from.y, from.x)) < 1e-3F);
    });
    // And back again: nothing is left of it.
    TouchDelta back;
    back.move = {-1.5F, 0, 0};
    for (const TouchGroup& g : again) {
      const TouchUps none = withDelta(nodes::touchUpsParams(*plan.find(g.node)).touches, g, back, middle);
      QVERIFY(none.list.empty());
    }
  }

  /// A swap is not undone by what chooses props further on: it goes behind that. The rest that was touched above stays.
  void swapsGoBehindTheDress() {
    Plan plan = test::crowdedPlan();
    const PointsPtr bare = pointsOf(m_files.evaluated(plan), "apart");
    const TouchUps moved = oneTouched(*bare, 4, [](TouchUp& t, TouchUps&) { t.move = {0.3F, 0, 0}; });
    plan.nodes.push_back(node("above", "touch-ups", {{"touches", moved}}, {{"points", "apart"}}));
    plan.nodes.back().inputs.at("points").front().output = "points";
    plan.find("dress")->inputs.at("points").front().node = "above";
    const Evaluation e = m_files.evaluated(plan);
    const PointsPtr was = pointsOf(e, "dress");
    const std::uint64_t id = bare->id[4];
    std::vector<TouchGroup> groups = touchable(plan, e, {{"dress", [&](std::uint64_t i) { return i == id; }}}, {});
    QCOMPARE(groups.size(), std::size_t{1});
    makeTouchUps(plan, groups, &touchNode);
    const std::string other = groups[0].targets[0].prop == "starfish" ? "dinghy" : "starfish";
    plan.find(groups[0].node)->params["touches"] = withChange(
        {}, groups[0], [&](TouchUp& t, TouchUps& among, const TouchTarget&) { t.prop = among.numberOf(other); });
    const PointsPtr now = pointsOf(m_files.evaluated(plan), groups[0].node);
    QCOMPARE(now->count, was->count);
    for (std::size_t i = 0; i < now->count; ++i) {
      QCOMPARE(propUidOf(*now, i), now->id[i] == id ? other : propUidOf(*was, i));
      QCOMPARE(now->position[i], was->position[i]);
    }
    QVERIFY(checkPlan(plan).empty());
  }

  /// A stroke of one kind takes what it began on and leaves the rest; one that stands without its rule is under it too.
  void strokesOfOneKindAndOverKeptOnes() {
    Plan plan = test::crowdedPlan();
    const PointsPtr dressed = pointsOf(m_files.evaluated(plan), "dress");
    TouchUps touches;
    TouchUp alone;
    alone.id = 4711;
    alone.isKept = alone.isFree = true;
    alone.at = {0.2F, 0.5F, 0.1F};
    alone.was = touches.numberOf("dinghy");
    touches.list.append(std::span(&alone, 1));
    plan.nodes.push_back(node("touch", "touch-ups", {{"touches", touches}}, {{"points", "dress"}}));
    plan.nodes.back().inputs.at("points").front().output = "points";
    const Evaluation e = m_files.evaluated(plan);
    const auto scene = TouchScene::of(plan, e, *plan.find("touch"));
    QVERIFY(scene);
    const auto after = [&](TouchStroke stroke, const BrushDab& dab) {
      stroke.add(dab);
      plan.find("touch")->params["touches"] = stroke.touches(touches);
      return pointsOf(m_files.evaluated(plan), "touch");
    };
    const PointsPtr before = pointsOf(e, "touch");
    // Begun on the one that stands alone; the others of its kind go, and no others.
    const BrushDab dab{alone.at, kUp, {}, 6, 1};
    const PointsPtr left = after(TouchStroke(scene, TouchStroke::Job::Remove, {}, BrushMeets::OneKind), dab);
    const auto there = placesById(*left);
    std::size_t gone = 0;
    for (std::size_t i = 0; i < before->count; ++i) {
      const bool isMeant = glm::distance(before->position[i], dab.place) <= dab.radius &&
                           propUidOf(*before, i) == "dinghy";
      QCOMPARE(there.contains(before->id[i]), !isMeant);
      gone += isMeant;
    }
    QVERIFY2(gone > 5 && !there.contains(alone.id), qPrintable(QString::number(gone)));
    BrushAdjust grow;
    grow.effect = BrushEffect::Grow;
    const PointsPtr grown = after(TouchStroke(scene, TouchStroke::Job::Adjust, grow), dab);
    QVERIFY(grown->size[placesById(*grown).at(alone.id)].x > 1);
  }

  /// Stray and asleep ones are told, and the nearest of the same prop is offered, never taken.
  void strayAndAsleepAreTold() {
    Plan plan = planWithTouches({});
    const PointsPtr in = pointsOf(m_files.evaluated(plan), "touch");
    TouchUps touches;
    TouchUp gone;
    gone.id = 12345;
    gone.at = in->position[7] + Vec3(0.1F, 0, 0);
    gone.isRemoved = true;
    TouchUp far;
    far.id = in->id[3];
    far.at = in->position[3] + Vec3(5, 0, 0);
    far.lift = 1;
    touches.list.append(std::vector<TouchUp>{gone, far});
    plan.find("touch")->params["touches"] = touches;
    const Evaluation e = m_files.evaluated(plan);
    QVERIFY(!findDifference(*pointsOf(e, "touch"), *in));
    const NodeReport& report = e.reports.at("touch");
    QCOMPARE(report.said, std::string("1 asleep · 1 stray"));
    QCOMPARE(report.problems.size(), std::size_t{1});
    for (const Problem& problem : report.problems) QVERIFY(!problem.advice.empty());
    const auto standing = nodes::standingOf(nodes::touchUpsParams(*plan.find("touch")), *in);
    QVERIFY(standing[0].state == TouchState::Asleep && standing[1].state == TouchState::Stray);
    QVERIFY(within(static_cast<double>(standing[1].strayed), 5, 1e-4));
    const auto nearest = [&](const Vec3& place) {  // of those that are not touched
      std::size_t best = in->count;
      for (std::size_t i = 0; i < in->count; ++i)
        if (i != 3 && i != 7 &&
            (best == in->count || glm::distance(in->position[i], place) < glm::distance(in->position[best], place)))
          best = i;
      return in->id[best];
    };
    far.at = in->position[3];  // its own point is the nearest by far, but it is touched
    TouchUps near;
    near.list.append(std::vector<TouchUp>{gone, far});
    const HandedOn handed = handedOn(near, {gone, far}, *in, GroundUnder(), {});
    const std::vector<TouchUp> list = handed.touches.list.all();
    QCOMPARE(handed.missing, std::size_t{0});
    QVERIFY(list[0].id == in->id[7] && list[0].at == in->position[7] && list[0].isRemoved);
    QVERIFY(list[1].id == nearest(in->position[3]) && list[1].lift == 1);
    QCOMPARE(handedOn(near, {gone, far}, Points(), GroundUnder(), {}).missing, std::size_t{2});
  }
};

QTEST_GUILESS_MAIN(TestTouchUps)
#include "tst_touch_ups.moc"
