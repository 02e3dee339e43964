// By hand: a plan with ten thousand touch-ups beside the same without; dabs of the brush among half a million
// neighbors, beside asking a grid of them for the same candidates; ten thousand points pushed apart, beside the rounds
// of bare neighbor searches that it cannot do without.
#include "benchmarks/bench.h"
#include "core/formats/file_service.h"
#include "core/geometry/shapes.h"
#include "core/nodes/adjust/touch_ups.h"
#include "core/plan/evaluator.h"
#include "core/spatial/hand_brush.h"

namespace arvesk::bench {
namespace {

constexpr std::size_t kNeighbors = 500'000;
constexpr int kDabs = 200;
constexpr float kExtent = 400;  // m

float radiusOf(const HandPoint& p) { return 0.3F * p.size.x; }

struct Scene {
  BrushGround ground;
  std::shared_ptr<BrushSurroundings> others;
  Array<PointGrid::Entry> entries;
  std::vector<BrushDab> dabs;
};

std::shared_ptr<const Scene> scene() {
  auto out = std::make_shared<Scene>();
  const SurfacePtr surface = bench::ground(700, kExtent);
  out->ground = {surface, *SurfaceIndex::of(*surface)};
  const Points p = points(kNeighbors, kExtent, 0.1F, 0.3F);
  for (std::size_t i = 0; i < p.count; ++i) {
    const Vec3 at = p.position[i] - Vec3(kExtent / 2, 0, kExtent / 2);
    if (const auto under = groundUnder(*surface, *out->ground.index, at))
      out->entries.push_back({under->position, p.footprint[i], static_cast<std::uint32_t>(i)});
  }
  out->others = std::make_shared<BrushSurroundings>(0.0F);
  out->others->others.add(out->entries);
  for (int i = 0; i < kDabs; ++i) {
    const float a = 0.03F * static_cast<float>(i);
    if (const auto under = groundUnder(*surface, *out->ground.index, {90 * std::cos(a), 0, 90 * std::sin(a)}))
      out->dabs.push_back({under->position, under->normal, {1, 0, 0}, 3, 1});
  }
  return out;
}

Node nodeOf(const char* uid, const char* kind, ParamMap params, const char* from = nullptr,
            const char* input = "points", const char* output = "points") {
  Node n;
  n.uid = n.title = uid;
  n.kind = kind;
  n.params = std::move(params);
  if (from) n.inputs[input] = {{from, output, std::string(uid) + "-" + input}};
  return n;
}

Evaluation evaluated(const Plan& plan, const char* wanted) {
  EvalRequest request;
  request.wanted = {wanted};
  return Evaluator(std::make_shared<DiskFileService>("")).evaluate(plan, request);
}

/// Half a million points that are varied and turned to the ground, then touched; where they are thinned, a mask and the
/// room of their neighbors say first which of more stay.
Plan touchedPlan(std::size_t count, bool isThinned) {
  Plan plan;
  plan.nodes = {nodeOf("ground", "shape", {{"extent", std::vector<double>{500, 1, 500}}}),
                nodeOf("noise", "noise", {{"size", 8.0}}),
                nodeOf("sow", "sow-on-surface", {{"density", isThinned ? 6.0 : 2.0}, {"footprint", 0.15}}, "ground",
                       "surface", "surface"),
                nodeOf("mask", "keep-by-mask", {}, "sow"),
                nodeOf("room", "clearance", {}, "mask"),
                nodeOf("vary", "vary", {}, isThinned ? "room" : "sow"),
                nodeOf("orient", "orient", {}, "vary"),
                nodeOf("touch", "touch-ups", {}, "orient")};
  plan.find("mask")->inputs["mask"] = {{"noise", "mask", "mask-mask"}};
  plan.nodes.back().inputs["ground"] = {{"ground", "surface", "touch-ground"}};
  const Evaluation before = evaluated(plan, "orient");
  const PointsPtr points = before.firstOf<PointsPtr>("orient");
  std::vector<TouchUp> list(count);
  for (std::size_t k = 0; k < count; ++k) {
    const std::size_t i = k * (points->count / count);
    list[k].id = points->id[i];
    list[k].at = points->position[i];
    if (k % 4 == 0) list[k].isRemoved = true;
    if (k % 4 == 1) list[k].move = {0.3F, 0, 0.2F};
    if (k % 4 == 2) list[k].turn = glm::angleAxis(0.4F, kUp);
    if (k % 4 == 3) list[k].size = Vec3(1.3F);
  }
  TouchUps touches;
  touches.list.append(list);
  plan.nodes.back().params["touches"] = touches;
  return plan;
}

}  // namespace

void addByHand() {
  const auto addTouched = [](const char* subject, bool isThinned, double limit) {
    const auto touched = std::make_shared<const Plan>(touchedPlan(10'000, isThinned));
    Plan without = *touched;
    without.nodes.pop_back();
    const auto plain = std::make_shared<const Plan>(std::move(without));
    add({subject, "the same without", false, limit,
         [touched] { benchmark::DoNotOptimize(evaluated(*touched, "touch").milliseconds); },
         [plain] { benchmark::DoNotOptimize(evaluated(*plain, "orient").milliseconds); }});
  };
  addTouched("10 k touch-ups on 500 k points sown and thinned", true, 1.2);
  addTouched("10 k touch-ups on 500 k points merely sown", false, 1.6);  // the least that a plan can do
  const auto s = scene();
  BrushAdd how;
  how.props = {{"post", 1, 0.3F}};
  add({"200 dabs of the brush among 500 k neighbors", "grid of them asked for as many candidates", false, 15,
       [s, how] {
         BrushStroke stroke(s->ground, s->others, {}, &radiusOf, how, 1);
         for (const BrushDab& d : s->dabs) benchmark::DoNotOptimize(stroke.add(d).size());
       },
       [s] {
         // As many candidates as the brush has (12 · 3² / 1²), each asked whether any of the neighbors is too near.
         for (const BrushDab& d : s->dabs)
           for (int k = 0; k < 108; ++k) {
             const float angle = static_cast<float>(k) * 2.4F;
             const Vec3 at = d.place + Vec3(std::cos(angle), 0, std::sin(angle)) * (3 * static_cast<float>(k) / 108);
             benchmark::DoNotOptimize(s->others->others.hits(at, 0.3F));
           }
       }});
  HandPoints crowd;
  std::vector<HandPoint> list(10'000);
  for (std::size_t i = 0; i < list.size(); ++i) {
    list[i].key = i + 1;
    list[i].place = {20 * (unitFloat(hashOf(i, 1)) - 0.5F), 0, 20 * (unitFloat(hashOf(i, 2)) - 0.5F)};
    list[i].ground = 1;
  }
  (void)crowd.numberOf(GroundPiece{});
  crowd.list.append(list);
  const auto flat = std::make_shared<const Surface>(makePlane(200, 200, 40));
  const BrushGround on{flat, *SurfaceIndex::of(*flat)};
  add({"10 k points pushed apart, one dab", "12 rounds of neighbor searches alone", false, 4,
       [crowd, on] {
         HandPoints points = crowd;
         benchmark::DoNotOptimize(adjust(points, {{0, 0, 0}, kUp, {}, 60, 1}, {}, on, &radiusOf));
       },
       [list] {
         Array<PointGrid::Entry> entries;
         for (const HandPoint& p : list) entries.push_back({p.place, 0.3F, static_cast<std::uint32_t>(entries.size())});
         for (int round = 0; round < 12; ++round) {
           const PointGrid grid(entries, 0.6F);
           std::size_t found = 0;
           for (const PointGrid::Entry& e : entries)
             grid.near(e.position, 0.6F, [&](const PointGrid::Entry& other) {
               found += glm::distance(other.position, e.position) < 0.6F;
               return false;
             });
           benchmark::DoNotOptimize(found);
         }
       }});
}

}  // namespace arvesk::bench
