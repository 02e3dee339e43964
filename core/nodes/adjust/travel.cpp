// Travel: points go a distance over the ground, or along a line.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/registry.h"
#include "core/spatial/ground.h"
#include "core/spatial/point_tree.h"

#include <fmt/format.h>

#include <atomic>

namespace arvesk::nodes {
namespace {

enum class Way { Heading, Front, Downhill, Line };
enum class AtEnd { Stops, BeginsAgain, LeftOut };
enum class Turn { Stays, WithGround, Ahead };
struct Params {
  Way way = Way::Heading;
  float headingDeg = 90;
  float distance = 0;
  float vary = 0;
  float step = 0.25F;
  AtEnd atEnd = AtEnd::Stops;
  Turn turn = Turn::WithGround;
  float amount = 100;
};

/// Where a point has come to.
struct Place {
  Vec3 position{0};
  Vec3 ahead{0};  // the way that it goes there
  std::optional<GroundPlace> ground;
};

/// Goes over the ground step by step. A longer way begins with the shorter one, so nothing jumps while it grows.
class Walker {
 public:
  Walker(const Surface& ground, const SurfaceIndex& index, const Params& p)
      : m_ground(ground), m_index(index), m_p(p) {}

  /// How far it came, and whether that is all of `distance`.
  struct Walk {
    Place end;
    float length = 0;
    bool isWhole = false;
  };
  std::optional<Walk> walk(const Vec3& from, const Vec3& flatAhead, float distance) const {
    auto here = under(from, 1000);
    if (!here) return {};
    Walk out{{here->position, flatAhead, here}, 0, true};
    while (out.length < distance) {
      endIfStopped();
      const auto next = nextOf(*out.end.ground, out.end.ahead);
      if (!next) {
        out.isWhole = false;
        return out;
      }
      const float far = glm::distance(next->position, out.end.position);
      const float left = distance - out.length;
      if (far > left) {
        auto between = under(glm::mix(out.end.position, next->position, left / far), 4 * m_p.step);
        out.end = {between ? between->position : next->position, next->ahead, between ? between : next->ground};
        out.length = distance;
        return out;
      }
      out.end = *next;
      out.length += std::max(far, 1e-5F);
    }
    return out;
  }

 private:
  std::optional<GroundPlace> under(const Vec3& place, float reach) const {
    const SurfaceHit hit = groundHit(m_index, place, SetDownWay::NearestAlong, -kUp, reach);
    if (!hit.isHit()) return {};
    return groundPlaceOf(m_ground, hit);
  }
  std::optional<GroundPlace> stepped(const GroundPlace& here, const Vec3& ahead) const {
    return under(here.position + ahead * m_p.step, 12 * m_p.step);  // as steep as 85°
  }
  /// The next place; none at the edge, and none where downhill ends.
  std::optional<Place> nextOf(const GroundPlace& here, const Vec3& ahead) const {
    if (m_p.way != Way::Downhill) {
      const auto next = stepped(here, ahead);
      if (!next) return {};
      return Place{next->position, ahead, next};
    }
    const auto down = downhill(here);
    if (!down) return {};
    auto next = stepped(here, *down);
    if (!next) return {};
    if (next->position.y < here.position.y) return Place{next->position, *down, next};
    // It would climb the other side: between the two slopes lies the way of the valley.
    const auto there = downhill(*next);
    const Vec3 between = there ? directionOr(*down + *there, Vec3(0)) : Vec3(0);
    if (between == Vec3(0)) return {};
    next = stepped(here, between);
    if (!next || next->position.y >= here.position.y) return {};
    return Place{next->position, between, next};
  }
  static std::optional<Vec3> downhill(const GroundPlace& at) {
    const Vec3 flat(at.normal.x, 0, at.normal.z);
    constexpr float kLevel = 0.004F;  // a quarter of a degree
    if (glm::length(flat) < kLevel) return {};
    return glm::normalize(flat * (at.normal.y < 0 ? -1.0F : 1.0F));
  }

  const Surface& m_ground;
  const SurfaceIndex& m_index;
  const Params& m_p;
};

/// Points as lines to go along, each from its first to its last point: strands by how far along each point is, else all
/// as one line in their order.
class Lines {
 public:
  Lines(const Points& points, const Task& task)
      : m_tree(points.position.copied(points.count), Array<float>(), points.id.copied(points.count), task) {
    const auto* along = columnOf<Column<float>>(points.attributes, "along");
    m_length.resize(points.count);
    m_first.resize(points.count);
    m_last.resize(points.count);
    std::uint32_t first = 0;
    for (std::uint32_t i = 0; i < points.count; ++i) {
      if (i > 0 && along && (*along)[i] <= (*along)[i - 1]) first = i;
      m_first[i] = first;
      m_length[i] = i == first ? 0 : m_length[i - 1] + glm::distance(place(i - 1), place(i));
    }
    for (std::uint32_t i = static_cast<std::uint32_t>(points.count); i-- > 0;)
      m_last[i] = i + 1 < points.count && m_first[i + 1] == m_first[i] ? m_last[i + 1] : i;
  }

  /// Where on its nearest line it is: a point of that and the length from its beginning.
  std::optional<std::pair<std::uint32_t, float>> nearest(const Vec3& to) const {
    const auto at = m_tree.nearest(to);
    if (!at) return {};
    float best = glm::distance(place(*at), to);
    float length = m_length[*at];
    const auto tryPiece = [&](std::uint32_t a, std::uint32_t b) {
      const Vec3 piece = place(b) - place(a);
      const float squared = glm::dot(piece, piece);
      const float t = squared > 0 ? std::clamp(glm::dot(to - place(a), piece) / squared, 0.0F, 1.0F) : 0.0F;
      const float d = glm::distance(place(a) + piece * t, to);
      if (d >= best) return;
      best = d;
      length = m_length[a] + t * (m_length[b] - m_length[a]);
    };
    if (*at > m_first[*at]) tryPiece(*at - 1, *at);
    if (*at < m_last[*at]) tryPiece(*at, *at + 1);
    return std::pair{*at, length};
  }
  float lengthOf(std::uint32_t of) const { return m_length[m_last[of]]; }
  Vec3 at(std::uint32_t of, float length, Vec3& ahead) const {
    const auto begin = m_length.begin() + m_first[of];
    const auto end = m_length.begin() + m_last[of] + 1;
    auto next = static_cast<std::uint32_t>(std::upper_bound(begin, end, length) - m_length.begin());
    next = std::clamp(next, m_first[of] + 1, std::max(m_last[of], m_first[of] + 1));
    if (m_first[of] == m_last[of]) return place(of);
    const float piece = m_length[next] - m_length[next - 1];
    ahead = directionOr(place(next) - place(next - 1), ahead);
    return glm::mix(place(next - 1), place(next), piece > 0 ? (length - m_length[next - 1]) / piece : 0.0F);
  }

 private:
  const Vec3& place(std::uint32_t i) const { return m_tree.position(i); }
  PointTree m_tree;
  Array<float> m_length;         // from the line's beginning, m
  Array<std::uint32_t> m_first;  // of the line that each is on
  Array<std::uint32_t> m_last;
};

/// How far along its own way of `length` m a point is that has gone `distance`; none: it is left out.
std::optional<float> within(float distance, float length, AtEnd atEnd) {
  if (distance <= length && distance >= 0) return distance;
  switch (atEnd) {
    case AtEnd::Stops: return std::clamp(distance, 0.0F, length);
    case AtEnd::BeginsAgain: return length > 1e-4F ? distance - std::floor(distance / length) * length : 0.0F;
    case AtEnd::LeftOut: return {};
  }
  return distance;
}

std::optional<Place> alongLine(const Lines& lines, const Vec3& from, float distance, AtEnd atEnd) {
  const auto start = lines.nearest(from);
  if (!start) return {};
  Vec3 ahead(0, 0, 1);
  const Vec3 aside = from - lines.at(start->first, start->second, ahead);
  const auto length = within(start->second + distance, lines.lengthOf(start->first), atEnd);
  if (!length) return {};
  Place out;
  out.position = lines.at(start->first, *length, ahead) + aside;
  out.ahead = ahead;
  return out;
}

std::optional<Place> overGround(const Walker& walker, const Vec3& from, Vec3 ahead, float distance, AtEnd atEnd) {
  if (distance < 0) {
    distance = -distance;
    ahead = -ahead;
  }
  auto walk = walker.walk(from, ahead, distance);
  if (!walk) return {};
  if (walk->isWhole) return walk->end;
  const auto length = within(distance, walk->length, atEnd);
  if (!length) return {};
  if (*length < walk->length) walk = walker.walk(from, ahead, *length);
  return walk->end;
}

/// How far a point may go, with the last step's surroundings, m.
double farthest(const Params& p) {
  return static_cast<double>(std::max(1.0F, p.amount / 100) * std::abs(p.distance) * (1 + p.vary / 100) + 12 * p.step);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const SurfacePtr ground = in.surface();
  const PointsPtr line = in.points("line");
  if (p.way != Way::Line && !ground)
    return fail(ProblemCode::MissingInput, "what goes over the ground needs one", "Connect a surface to Ground");
  if (p.way == Way::Line && !line)
    return fail(ProblemCode::MissingInput, "they go along a line, but no points are connected to Line",
                "Connect the points of Strands, or others in the order of the way");
  std::shared_ptr<const SurfaceIndex> index;
  if (ground) {
    auto made = SurfaceIndex::of(*ground);
    if (!made) return Failure(made.error());
    index = *made;
  }
  std::optional<Lines> lines;
  if (p.way == Way::Line) lines.emplace(*line, ctx.task);
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  const Draw vary = ctx.draw("distance");
  Array<Vec3> position = points.position.copied(points.count);
  Array<Quat> orientation = points.orientation.copied(points.count);
  Array<Vec3> normal = points.groundNormal.copied(points.count);
  Array<std::uint32_t> face = points.groundFace.copied(points.count);
  Array<Vec2> uv = points.groundUv.copied(points.count);
  Array<Vec3> moved = points.movedBy.copied(points.count);
  Array<std::uint8_t> keeps(points.count);
  std::atomic<std::size_t> without{0};
  parallelPieces(ctx.task, points.count, 64, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const float share = p.vary / 100;
      const float distance = p.distance * effect[i] * (1 + share * (2 * vary.unit(points.id[i]) - 1));
      Vec3 ahead = p.way == Way::Front ? orientation[i] * Vec3(0, 0, 1) : headingVector(radians(p.headingDeg));
      ahead = directionOr(Vec3(ahead.x, 0, ahead.z), Vec3(0, 0, -1));
      std::optional<Place> there;
      if (lines) {
        there = alongLine(*lines, points.position[i], distance, p.atEnd);
        if (there && ground)
          if (const SurfaceHit hit = groundHit(*index, there->position, SetDownWay::NearestAlong, -kUp, 1000);
              hit.isHit()) {
            there->ground = groundPlaceOf(*ground, hit);
            there->position = there->ground->position;
          }
      } else {
        const Walker walker(*ground, *index, p);
        there = overGround(walker, points.position[i], ahead,
                           p.way == Way::Downhill ? std::max(distance, 0.0F) : distance, p.atEnd);
        if (!there && !groundUnder(*ground, *index, points.position[i])) {
          without.fetch_add(1, std::memory_order_relaxed);
          keeps[i] = 1;  // it never was on the ground: it stays
          continue;
        }
      }
      keeps[i] = there.has_value();
      if (!there) continue;
      position[i] = there->position;
      if (p.turn == Turn::Ahead) {
        bool isParallel = false;
        const Vec3 up = orientation[i] * kUp;
        orientation[i] = turnFacing(up, distance < 0 ? -there->ahead : there->ahead, isParallel);
      }
      if (!there->ground) continue;
      if (p.turn != Turn::Stays)
        orientation[i] = glm::normalize(shortestTurn(directionOr(points.groundNormal[i], kUp), there->ground->normal) *
                                        orientation[i]);
      normal[i] = there->ground->normal;
      face[i] = there->ground->face;
      uv[i] = there->ground->uv;
      moved[i] = Vec3(0);
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (without > 0)
    ctx.warn(fmt::format("{} points have no ground under or over them, and stay", without.load()),
             "Set them down first, or connect the ground that they stand on");
  Points out = points;
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.groundNormal = std::move(normal);
  out.groundFace = std::move(face);
  out.groundUv = std::move(uv);
  if (!points.movedBy.isConstant()) out.movedBy = std::move(moved);
  auto [kept, left] = split(out, keeps);
  return Outputs{std::move(kept), std::move(left)};
}

std::vector<std::string> explain(const EvalContext&, const Inputs&, const Params&, const Points& points) {
  return std::vector<std::string>(points.count, "its way ended before");
}

std::string sentence(const Params& p) {
  const std::string where = p.way == Way::Heading    ? fmt::format("toward {:g}°", p.headingDeg)
                            : p.way == Way::Front    ? std::string("where they face")
                            : p.way == Way::Downhill ? std::string("downhill")
                                                     : std::string("along a line");
  return fmt::format("Travel · {:g} m {}", p.distance, where);
}

}  // namespace

const NodeKind& travel() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "travel";
    k.groundFrom = "ground";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Travel");
    k.help = ARVESK_TEXT("node",
                         "Points go a distance over the ground, along a heading, the way they face, down the slope, or "
                         "along a line of other points, and stay on the ground all the way. A longer way begins with "
                         "the shorter one: give the distance keys, or a formula such as seconds * 0.5, and they move.");
    k.glyph = "travel";
    k.synonyms = {"move", "flow", "walk", "path", "follow", "crawl", "slide", "animate", "time"};
    k.inputs = {
        pointsInput(),
        groundInput(true),
        {"line", ValueType::Points, ARVESK_TEXT("node", "Line"),
         ARVESK_TEXT("node", "The way as points: those of Strands, each along its own strand, or all in order."), true,
         false},
        adjustWhereInput()};
    k.outputs = {pointsOutput(), leftOutOutput()};
    k.params = {
        param("way", &Params::way, ARVESK_TEXT("node", "Goes"), ARVESK_TEXT("node", "Which way."),
              {{"heading", ARVESK_TEXT("node", "Along a heading")},
               {"front", ARVESK_TEXT("node", "Where it faces")},
               {"downhill", ARVESK_TEXT("node", "Downhill")},
               {"line", ARVESK_TEXT("node", "Along a line")}}),
        param("heading", &Params::headingDeg, ARVESK_TEXT("node", "Heading"),
              ARVESK_TEXT("node", "A compass: 0° north, 90° east."))
            .in(Unit::Degree)
            .hard(-3600, 3600)
            .usual(0, 360, 1)
            .shown("way", {"heading"}),
        param("distance", &Params::distance, ARVESK_TEXT("node", "Distance"),
              ARVESK_TEXT("node", "How far each has gone, along the ground; below 0 backwards, but never uphill."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(0, 50, 0.1),
        param("vary", &Params::vary, ARVESK_TEXT("node", "Vary"),
              ARVESK_TEXT("node", "Each goes so much less or more, at random."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
        param("step", &Params::step, ARVESK_TEXT("node", "Step"),
              ARVESK_TEXT("node", "The ground is felt for at every step: smaller ones follow it closer."))
            .in(Unit::Meter)
            .hard(0.01, 100)
            .usual(0.05, 2, 0.05)
            .shown("way", {"heading", "front", "downhill"}),
        param("at_end", &Params::atEnd, ARVESK_TEXT("node", "Where the way ends"),
              ARVESK_TEXT("node", "At the edge of the ground, in a hollow, or at the end of the line."),
              {{"stops", ARVESK_TEXT("node", "Stop")},
               {"begins-again", ARVESK_TEXT("node", "Begin again")},
               {"left-out", ARVESK_TEXT("node", "Leave out")}}),
        param("turn", &Params::turn, ARVESK_TEXT("node", "Turn"), ARVESK_TEXT("node", "How they turn on their way."),
              {{"stays", ARVESK_TEXT("node", "Not at all")},
               {"with-ground", ARVESK_TEXT("node", "With the ground")},
               {"ahead", ARVESK_TEXT("node", "Look ahead")}}),
        amountParam(&Params::amount),
    };
    k.usesSeed = true;
    k.example.params = {{"distance", 6.0}, {"way", std::string("downhill")}, {"turn", std::string("ahead")}};
    k.example.spacing = 1.4;
    k.example.joins = {"ground"};
    k.trial.params = {{"distance", 4.0}, {"vary", 30.0}};
    NodeKind made = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(made, &explain);
    reaches<Params>(
        made, [](const Params& p) { return p.way == Way::Line ? Reach::whole(false) : Reach::within(farthest(p)); });
    keepsSizes(made);
    carries<Params>(made, [](const Params& p) -> std::optional<Carries> {
      if (p.way == Way::Line || p.atEnd == AtEnd::BeginsAgain) return {};
      return Carries{farthest(p), Part::kAll};
    });
    return made;
  }();
  return kind;
}

}  // namespace arvesk::nodes
