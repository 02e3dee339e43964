// Strands: ropes, wires, roots and garlands between points, or from points to a surface; and points along them.
#include "core/geometry/strand.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/children.h"
#include "core/nodes/scatter/draft_share.h"
#include "core/props/coloring.h"
#include "core/props/quantities.h"
#include "core/spatial/ground.h"
#include "core/spatial/point_grid.h"

#include <fmt/format.h>

#include <atomic>

namespace arvesk::nodes {
namespace {

enum class Between { Nearest, Within, Name, Order, Ground };
enum class Lands { Nearest, Below };
struct Params : DraftShare {
  Between between = Between::Nearest;
  int count = 1;
  float reach = 10;
  std::string name = "name";
  Lands lands = Lands::Nearest;
  Range slack{5, 10};
  float wander = 0;
  bool isAboveGround = false;
  Range radius{0.02F, 0.02F};
  int branches = 0;
  Range branchLength{15, 35};
  float branchAngleDeg = 45;
  float edge = 0.1F;
  float spacing = 1;
  float footprint = 0.1F;
  std::string color = "#a89878";
};

/// Where a strand starts and ends; `id` is the pair's, whichever way round and whatever else there is.
struct Pair {
  std::uint32_t from = 0;
  Vec3 start{0};
  Vec3 end{0};
  std::uint64_t id = 0;
};

/// A strand's or a branch's center line.
struct Line {
  Tube tube;
  std::uint32_t from = 0;  // the point that it starts at
  std::uint64_t id = 0;
  bool isBranch = false;
};

class Maker {
 public:
  Maker(const EvalContext& ctx, const Params& p, const Points& from, PointsPtr to, SurfacePtr ground)
      : m_ctx(ctx), m_p(p), m_from(from), m_to(std::move(to)), m_ground(std::move(ground)) {}

  Result<std::vector<Pair>> pairs() {
    if (m_p.between == Between::Ground || m_p.isAboveGround) {
      if (!m_ground)
        return fail(ProblemCode::MissingInput, "no ground is connected", "Connect one to Ground, or choose other ends");
      auto index = SurfaceIndex::of(*m_ground);
      if (!index) return Failure(index.error());
      m_index = *index;
    }
    switch (m_p.between) {
      case Between::Nearest:
      case Between::Within:
        if (auto ok = near(); !ok) return Failure(ok.error());
        break;
      case Between::Name:
        if (auto ok = byName(); !ok) return Failure(ok.error());
        break;
      case Between::Order:
        for (std::uint32_t i = 0; i + 1 < m_from.count; ++i) add(i, m_from, i + 1);
        break;
      case Between::Ground: toGround(); break;
    }
    if (m_bare > 0)
      m_ctx.warn(fmt::format("{} of {} points found no end within {:g} m", m_bare, m_from.count, m_p.reach),
                 "Raise the reach, or bring more ends");
    return std::move(m_pairs);
  }

  /// The center line of a pair and its branches.
  void lines(const Pair& pair, std::vector<Line>& out) const {
    const auto share = [&](const Range& r, const char* what, std::uint64_t id) {
      return r.from + (r.to - r.from) * m_ctx.draw(what).unit(id);
    };
    const double distance = glm::distance(DVec3(pair.start), DVec3(pair.end));
    const double length = distance * (1 + static_cast<double>(share(m_p.slack, "slack", pair.id)) / 100);
    Line line;
    line.from = pair.from;
    line.id = pair.id;
    line.tube = tubeOf(hangingLine(pair.start, pair.end, length, segmentsOf(length)), m_p.radius.from, m_p.radius.to,
                       pair.id);
    wander(line.tube.line, pair.id);
    keepAbove(line.tube.line, std::max(m_p.radius.from, m_p.radius.to));
    out.push_back(line);
    for (int k = 0; k < m_p.branches; ++k) {
      const std::uint64_t id = m_ctx.idOf(pair.id, 0x6272616e6368ULL + static_cast<std::uint64_t>(k));
      const double at = 0.1 + 0.85 * static_cast<double>(m_ctx.draw("branch-at").unit(id));
      const OnLine root = onLine(out[out.size() - 1 - static_cast<std::size_t>(k)].tube.line, at);
      const float own = share(m_p.branchLength, "branch-length", id) / 100 * static_cast<float>(length);
      const float spin = 2 * kPi * m_ctx.draw("branch-spin").unit(id);
      bool isParallel = false;
      const Quat frame = turnFacing(kUp, root.along, isParallel);
      const Vec3 side = frame * Vec3(std::cos(spin), std::sin(spin), 0);
      const float angle = radians(m_p.branchAngleDeg);
      const Vec3 way = directionOr(std::cos(angle) * root.along + std::sin(angle) * side, root.along);
      Line branch;
      branch.from = pair.from;
      branch.id = id;
      branch.isBranch = true;
      const float thick = m_p.radius.from + (m_p.radius.to - m_p.radius.from) * static_cast<float>(at);
      std::vector<Vec3> places = hangingLine(root.place, root.place + way * own, static_cast<double>(own),
                                             segmentsOf(static_cast<double>(own)));
      branch.tube = tubeOf(std::move(places), 0.7F * thick, 0.2F * thick, id);
      wander(branch.tube.line, id, true);
      keepAbove(branch.tube.line, thick);
      out.push_back(std::move(branch));
    }
  }

 private:
  void add(std::uint32_t i, const Points& others, std::uint32_t k) {
    const std::uint64_t a = m_from.id[i];
    const std::uint64_t b = others.id[k];
    // Among the points of one set a pair is the same from both ends, and starts at the same one, whoever found it.
    if (!m_to && a > b && (m_p.between == Between::Nearest || m_p.between == Between::Within)) std::swap(i, k);
    const std::uint64_t id = m_to ? m_ctx.idOf(a, b) : m_ctx.idOf(std::min(a, b), std::max(a, b));
    m_pairs.push_back({i, m_from.position[i], (m_to ? others : m_from).position[k], id});
  }

  /// Each with the nearest of the others, or with all within the reach.
  Result<void> near() {
    const Points& others = m_to ? *m_to : m_from;
    Array<PointGrid::Entry> entries(others.count);
    for (std::uint32_t k = 0; k < others.count; ++k) entries[k] = {others.position[k], 0, k};
    const PointGrid grid(entries, std::max(0.25F * m_p.reach, 1e-3F));
    // What is to be looked at, from a sample of the points.
    constexpr double kMostPairs = 2e9;
    double seen = 0;
    const std::size_t step = std::max<std::size_t>(1, m_from.count / 64);
    for (std::size_t i = 0; i < m_from.count; i += step) {
      endIfStopped();
      grid.near(m_from.position[i], m_p.reach, [&](const PointGrid::Entry&) {
        ++seen;
        return false;
      });
    }
    if (seen * static_cast<double>(step) > kMostPairs)
      return fail(ProblemCode::TooMany,
                  fmt::format("too many points lie within {:g} m of each other to compare", m_p.reach),
                  "Lower the reach");
    struct Found {
      float distance;
      std::uint64_t id;
      std::uint32_t index;
    };
    std::vector<std::vector<Found>> found(m_from.count);
    std::atomic<std::size_t> crowded = 0;
    const auto most = m_p.between == Between::Nearest ? static_cast<std::size_t>(m_p.count) : std::size_t{64};
    parallelPieces(m_ctx.task, m_from.count, 64, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        std::vector<Found>& near = found[i];
        grid.near(m_from.position[i], m_p.reach, [&](const PointGrid::Entry& e) {
          const float d = glm::distance(e.position, m_from.position[i]);
          if (d > m_p.reach || d < 1e-6F || (!m_to && e.index == i)) return false;
          near.push_back({d, others.id[e.index], e.index});
          return false;
        });
        std::sort(near.begin(), near.end(), [](const Found& a, const Found& b) {
          return std::tie(a.distance, a.id) < std::tie(b.distance, b.id);
        });
        near.erase(
            std::unique(near.begin(), near.end(), [](const Found& a, const Found& b) { return a.index == b.index; }),
            near.end());
        if (near.size() > most) {
          if (m_p.between == Between::Within) ++crowded;
          near.resize(most);
        }
      }
    });
    if (crowded > 0)
      m_ctx.warn(fmt::format("{} points have more than {} others within {:g} m and are joined with the nearest only",
                             crowded.load(), most, m_p.reach),
                 "Lower the reach");
    for (std::uint32_t i = 0; i < m_from.count; ++i) {
      m_bare += found[i].empty();
      for (const Found& f : found[i]) add(i, others, f.index);
    }
    // Found from both ends it is one strand.
    if (m_to) return {};
    std::vector<std::uint64_t> known;
    for (const Pair& pair : m_pairs) known.push_back(pair.id);
    std::sort(known.begin(), known.end());
    std::vector<std::uint8_t> isMade(known.size(), 0);
    std::erase_if(m_pairs, [&](const Pair& pair) {
      const auto at = static_cast<std::size_t>(std::lower_bound(known.begin(), known.end(), pair.id) - known.begin());
      if (isMade[at]) return true;
      isMade[at] = 1;
      return false;
    });
    return {};
  }

  /// Each with the next one of the same text, by nearness from the lowest id on; or with those of it at the other
  /// input.
  Result<void> byName() {
    const auto textOf = [&](const Points& points) -> Result<std::map<std::string, std::vector<std::uint32_t>>> {
      std::map<std::string, std::vector<std::uint32_t>> out;
      for (std::uint32_t i = 0; i < points.count; ++i) {
        const auto text = readText(points, m_p.name, i);
        if (!text)
          return fail(ProblemCode::WrongInput, fmt::format("the points carry no text called \"{}\"", m_p.name),
                      "They carry: " + listOf(textNames(points)));
        out[*text].push_back(i);
      }
      return out;
    };
    auto own = textOf(m_from);
    if (!own) return Failure(own.error());
    if (m_to) {
      const auto others = textOf(*m_to);
      if (!others) return Failure(others.error());
      for (const auto& [text, points] : *own) {
        const auto it = others->find(text);
        for (const std::uint32_t i : points) {
          const std::size_t before = m_pairs.size();
          if (it != others->end())
            for (const std::uint32_t k : it->second)
              if (glm::distance(m_from.position[i], m_to->position[k]) <= m_p.reach) add(i, *m_to, k);
          m_bare += m_pairs.size() == before;
        }
      }
      return {};
    }
    for (auto& entry : *own) {
      std::vector<std::uint32_t>& points = entry.second;  // not a binding: lambdas below name it
      std::sort(points.begin(), points.end(), [&](std::uint32_t a, std::uint32_t b) {
        return static_cast<std::uint64_t>(m_from.id[a]) < static_cast<std::uint64_t>(m_from.id[b]);
      });
      for (std::size_t k = 0; k + 1 < points.size(); ++k) {
        const auto next = std::min_element(points.begin() + static_cast<std::ptrdiff_t>(k) + 1, points.end(),
                                           [&](std::uint32_t a, std::uint32_t b) {
                                             return glm::distance(m_from.position[points[k]], m_from.position[a]) <
                                                    glm::distance(m_from.position[points[k]], m_from.position[b]);
                                           });
        std::iter_swap(points.begin() + static_cast<std::ptrdiff_t>(k) + 1, next);
        if (glm::distance(m_from.position[points[k]], m_from.position[points[k + 1]]) <= m_p.reach)
          add(points[k], m_from, points[k + 1]);
        else
          ++m_bare;
      }
    }
    return {};
  }

  void toGround() {
    for (std::uint32_t i = 0; i < m_from.count; ++i) {
      endIfStoppedAt(i);
      const SurfaceHit hit = m_p.lands == Lands::Below ? m_index->first(m_from.position[i], -kUp, m_p.reach)
                                                       : m_index->nearest(m_from.position[i], m_p.reach);
      if (!hit.isHit()) {
        ++m_bare;
        continue;
      }
      const std::uint64_t id = m_ctx.idOf(m_from.id[i]);
      m_pairs.push_back({i, m_from.position[i], m_ground->positionAt(hit.face, hit.weights), id});
    }
  }

  std::size_t segmentsOf(double length) const {
    return static_cast<std::size_t>(std::clamp(std::round(length / static_cast<double>(m_p.edge)), 1.0, 4096.0));
  }

  Tube tubeOf(std::vector<Vec3> line, float from, float to, std::uint64_t key) const {
    Tube tube;
    tube.line = std::move(line);
    tube.radiusFrom = from;
    tube.radiusTo = to;
    tube.sides = static_cast<std::uint32_t>(
        std::clamp(std::round(2 * kPi * std::max(from, to) / m_p.edge), 3.0F, 48.0F));
    tube.key = key;
    return tube;
  }

  /// Bent by four waves across it that are still at its ends (at the start only, of what has a free end).
  void wander(std::vector<Vec3>& line, std::uint64_t id, bool isFree = false) const {
    if (m_p.wander <= 0 || line.size() < 3) return;
    const float reach = m_p.wander / 100 * static_cast<float>(lengthOfLine(line));
    bool isParallel = false;
    const Quat frame = turnFacing(directionOr(line.back() - line.front(), kUp), kUp, isParallel);
    for (std::size_t i = 1; i < line.size(); ++i) {
      const float t = static_cast<float>(i) / static_cast<float>(line.size() - 1);
      Vec3 off(0);
      for (int k = 1; k <= 4; ++k) {
        const std::uint64_t wave = hashOf(id, static_cast<std::uint64_t>(k));
        const float height = std::sin(static_cast<float>(k) * kPi * t * (isFree ? 0.5F : 1.0F)) / static_cast<float>(k);
        off += Vec3(2 * m_ctx.draw("wander-x").unit(wave) - 1, 0, 2 * m_ctx.draw("wander-z").unit(wave) - 1) * height;
      }
      line[i] += frame * off * reach;
    }
  }

  void keepAbove(std::vector<Vec3>& line, float radius) const {
    if (!m_p.isAboveGround) return;
    constexpr float kHigh = 1000;
    for (std::size_t i = 1; i + 1 < line.size(); ++i) {
      // What lies above it is ground that it hangs below.
      const SurfaceHit above = m_index->first(line[i], kUp, kHigh);
      if (above.isHit() && m_ground->faceNormal(above.face).y > 0) {
        line[i] = m_ground->positionAt(above.face, above.weights) + kUp * radius;
        continue;
      }
      const SurfaceHit below = m_index->first(line[i], -kUp, radius);
      if (below.isHit()) line[i] = m_ground->positionAt(below.face, below.weights) + kUp * radius;
    }
  }

  const EvalContext& m_ctx;
  const Params& m_p;
  const Points& m_from;
  PointsPtr m_to;
  SurfacePtr m_ground;
  std::shared_ptr<const SurfaceIndex> m_index;
  std::vector<Pair> m_pairs;
  std::size_t m_bare = 0;
};

/// Points at even distances along the strands (not their branches), the first one half a distance in.
PointsPtr pointsAlong(const EvalContext& ctx, const Params& p, const Points& from, const std::vector<Line>& lines) {
  const DraftTest draft(ctx, p);
  Array<Vec3> position;
  Array<Quat> orientation;
  Array<std::uint64_t> id;
  Array<float> share;
  Array<float> strandLength;
  Array<std::uint32_t> parent;
  for (const Line& line : lines) {
    endIfStopped();
    if (line.isBranch) continue;
    const double length = lengthOfLine(line.tube.line);
    const auto count = static_cast<std::size_t>(length / static_cast<double>(p.spacing) + 1e-6);
    const double start = 0.5 * (length - static_cast<double>(count) * static_cast<double>(p.spacing));
    for (std::size_t k = 0; k < count; ++k) {
      const std::uint64_t its = ctx.idOf(line.id, 1 + k);
      if (!draft.holds(its)) continue;
      const double at = (start + (static_cast<double>(k) + 0.5) * static_cast<double>(p.spacing)) / length;
      const OnLine place = onLine(line.tube.line, at);
      // Up is as near to the sky as the strand allows, the front looks along it.
      const Vec3 level = kUp - place.along * glm::dot(place.along, kUp);
      bool isParallel = false;
      position.push_back(place.place);
      orientation.push_back(turnFacing(directionOr(level, Vec3(1, 0, 0)), place.along, isParallel));
      id.push_back(its);
      share.push_back(static_cast<float>(at));
      strandLength.push_back(static_cast<float>(length));
      parent.push_back(line.from);
    }
  }
  Points out;
  out.count = id.size();
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.id = std::move(id);
  out.draftLevel = draftLevels(p, out.id, out.count);
  out.footprint = Column<float>(p.footprint);
  inherit(out, from, parent);
  out.attributes.insert_or_assign("along", Column<float>(std::move(share)));
  out.attributes.insert_or_assign("strand-length", Column<float>(std::move(strandLength)));
  return std::make_shared<const Points>(std::move(out));
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const PointsPtr from = in.points();
  const auto color = colorFromHex(p.color);
  if (!color) return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a color", p.color), "Write #rrggbb");
  Maker maker(ctx, p, *from, in.points("to"), in.surface());
  auto pairs = maker.pairs();
  if (!pairs) return Failure(pairs.error());
  if (auto ok = guardPoints(ctx, static_cast<double>(pairs->size()) * (1 + p.branches), "Lower the reach or the count");
      !ok)
    return Failure(ok.error());
  std::vector<std::vector<Line>> made(pairs->size());
  parallelPieces(ctx.task, pairs->size(), 16, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) maker.lines((*pairs)[i], made[i]);
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  std::vector<Line> lines;
  double triangles = 0;
  double along = 0;
  for (std::vector<Line>& own : made)
    for (Line& line : own) {
      triangles += static_cast<double>(triangleCount(line.tube));
      if (!line.isBranch) along += lengthOfLine(line.tube.line) / static_cast<double>(p.spacing);
      lines.push_back(std::move(line));
    }
  constexpr double kMostTriangles = 5e7;
  if (triangles > kMostTriangles)
    return fail(ProblemCode::TooMany, fmt::format("the strands would have {:.0f} triangles", triangles),
                "Raise the triangle edge");
  if (auto ok = guardPoints(ctx, along, "Raise the distance of the points along"); !ok) return Failure(ok.error());
  std::vector<Tube> tubes;
  for (const Line& line : lines) tubes.push_back(line.tube);
  Surface s = tubesOf(tubes, ctx.task);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  s.name = "strands";
  Material material;
  material.name = "strand";
  material.baseColor = Vec4(*color, 1);
  material.roughness = 0.9F;
  s.materials = {material};
  ctx.say(fmt::format("{} strands, {:.0f} triangles", pairs->size(), triangles));
  PointsPtr points = pointsAlong(ctx, p, *from, lines);
  return Outputs{std::make_shared<const Surface>(std::move(s)), std::move(points)};
}

std::string sentence(const Params& p) {
  switch (p.between) {
    case Between::Nearest: return fmt::format("to the nearest {} within {:g} m", p.count, p.reach);
    case Between::Within: return fmt::format("to all within {:g} m", p.reach);
    case Between::Name: return fmt::format("of the same {}", p.name);
    case Between::Order: return "from one to the next";
    case Between::Ground: return fmt::format("to ground within {:g} m", p.reach);
  }
  return {};
}

std::vector<ParamSpec> declaredParams() {
  std::vector<ParamSpec> params{
      param("between", &Params::between, ARVESK_TEXT("node", "Ends"),
            ARVESK_TEXT("node",
                        "What each point is joined with: the nearest others, all within the reach, those that carry "
                        "the same text (one after the other, by nearness), the next in order, or ground."),
            {{"nearest", ARVESK_TEXT("node", "The nearest")},
             {"within", ARVESK_TEXT("node", "All within")},
             {"name", ARVESK_TEXT("node", "The same text")},
             {"order", ARVESK_TEXT("node", "The next in order")},
             {"ground", ARVESK_TEXT("node", "Ground")}}),
      param("count", &Params::count, ARVESK_TEXT("node", "How many"),
            ARVESK_TEXT("node", "Nearest others that each point is joined with."))
          .hard(1, 64)
          .usual(1, 6)
          .shown("between", {"nearest"}),
      param("name", &Params::name, ARVESK_TEXT("node", "Text"), ARVESK_TEXT("node", "The text that the points carry."))
          .shown("between", {"name"}),
      param("lands", &Params::lands, ARVESK_TEXT("node", "Lands"),
            ARVESK_TEXT("node", "At the nearest place of the ground, or straight below."),
            {{"nearest", ARVESK_TEXT("node", "Nearest place")}, {"below", ARVESK_TEXT("node", "Straight below")}})
          .shown("between", {"ground"}),
      param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
            ARVESK_TEXT("node", "How far its other end may be away, in a straight line."))
          .in(Unit::Meter)
          .hard(0.001, 1e5)
          .usual(0.5, 50, 0.5)
          .shown("between", {"nearest", "within", "name", "ground"}),
      param("slack", &Params::slack, ARVESK_TEXT("node", "Slack"),
            ARVESK_TEXT("node",
                        "How much longer each strand is than the distance of its ends, drawn per pair; it hangs as a "
                        "chain does."))
          .in(Unit::Percent)
          .hard(0, 1000)
          .usual(0, 50, 0.5),
      param("wander", &Params::wander, ARVESK_TEXT("node", "Wander"),
            ARVESK_TEXT("node", "How far it bends to the sides, as a share of its length: roots, vines."))
          .in(Unit::Percent)
          .hard(0, 200)
          .usual(0, 30, 0.5),
      param("above_ground", &Params::isAboveGround, ARVESK_TEXT("node", "Kept above ground"),
            ARVESK_TEXT("node", "What would hang below the ground lies on it.")),
      param("radius", &Params::radius, ARVESK_TEXT("node", "Radius"),
            ARVESK_TEXT("node", "At its start, and at its end."))
          .in(Unit::Meter)
          .hard(1e-5, 100)
          .usual(0.002, 0.3, 0.002),
      param("branches", &Params::branches, ARVESK_TEXT("node", "Branches"),
            ARVESK_TEXT("node", "Of each strand; they end free."))
          .hard(0, 200)
          .usual(0, 12),
      param("branch_length", &Params::branchLength, ARVESK_TEXT("node", "Branch length"),
            ARVESK_TEXT("node", "As a share of the strand's, drawn per branch."))
          .in(Unit::Percent)
          .hard(0.1, 500)
          .usual(5, 80, 1)
          .counted("branches", 1),
      param("branch_angle", &Params::branchAngleDeg, ARVESK_TEXT("node", "Branch angle"),
            ARVESK_TEXT("node", "Between the strand and its branch."))
          .in(Unit::Degree)
          .hard(0, 180)
          .usual(10, 90, 1)
          .counted("branches", 1),
      param("edge", &Params::edge, ARVESK_TEXT("node", "Triangle edge"),
            ARVESK_TEXT("node", "About how long the sides of the triangles are, along it and around."))
          .in(Unit::Meter)
          .hard(0.0005, 100)
          .usual(0.01, 0.5, 0.005),
      param("spacing", &Params::spacing, ARVESK_TEXT("node", "Points every"),
            ARVESK_TEXT("node", "Along each strand, for what hangs there."))
          .in(Unit::Meter)
          .hard(0.001, 1e4)
          .usual(0.05, 5, 0.05),
      param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
            ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
          .in(Unit::Meter)
          .hard(0, 1e4)
          .usual(0, 5, 0.05),
      param("color", &Params::color, ARVESK_TEXT("node", "Color"), ARVESK_TEXT("node", "Of the strands, as #rrggbb."))
          .checked([](const std::string& text) {
            return colorFromHex(text) ? std::string() : std::string("is not a color such as #ffffff");
          })
          .written(TextForm::Color),
  };
  return params;
}

}  // namespace

const NodeKind& strands() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "strands";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "Strands");
    k.help = ARVESK_TEXT(
        "node",
        "Ropes, wires, roots or garlands between points, or from points to ground: each hangs as a chain of its length "
        "does. Comes out as a surface, with a texture's u around and v along, and as points along the strands, which "
        "look along them and carry along (0 at the start, 1 at the end), strand-length and what their start carries "
        "as parent-…. Mount points come from On props, so ropes go from prop to prop. A strand goes by its two ends: "
        "it stays as it is when others come or go.");
    k.glyph = "strands";
    k.showsTriangles = true;
    k.synonyms = {"rope", "wire", "cable", "root", "garland", "chain", "vine", "catenary", "fence", "line"};
    k.inputs = {
        pointsInput(),
        {"to", ValueType::Points, ARVESK_TEXT("node", "To"),
         ARVESK_TEXT("node", "Where strands end; without it they join the points among themselves."), true, false},
        groundInput(true)};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}, pointsOutput()};
    k.params = declaredParams();
    addDraftParams<Params>(k.params);
    putUnder(k.params, ARVESK_TEXT("node", "Branches"), {"branches", "branch_length", "branch_angle"});
    k.usesSeed = true;
    k.trial.params = {{"slack", std::vector<double>{10, 30}}, {"wander", 5.0}, {"branches", 2.0}, {"spacing", 0.3}};
    k.example.params = {{"slack", std::vector<double>{10, 40}}, {"radius", std::vector<double>{0.12, 0.12}}};
    k.example.spacing = 3.5;
    reaches<Params>(k, [](const Params&) { return Reach::whole(true); });
    offersAttributes(k, "name", Carried::Texts);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
