// Orient: how points stand and where they face.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/registry.h"
#include "core/spatial/point_tree.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Mode { Align, Keep, AnyWay };
enum class UpFrom { World, Direction };
enum class Toward { Smooth, Face };
enum class Heading { Keep, Random, Fixed, Downhill, Toward, Away };
enum class AimAt { Nearest, Place };
enum class FlipAxis { X, Y, Z };
struct Params {
  Mode mode = Mode::Align;
  UpFrom upFrom = UpFrom::World;
  Vec3 direction{0, 1, 0};
  Toward toward = Toward::Smooth;
  float lean = 0;
  Heading heading = Heading::Random;
  float headingDeg = 0;
  AimAt aimAt = AimAt::Nearest;
  Vec3 place{0};
  Range spinDeg{0, 0};
  float spinStepDeg = 0;
  Range tiltXDeg{0, 0};
  Range tiltZDeg{0, 0};
  FlipAxis flipAxis = FlipAxis::X;
  float flipShare = 0;
  float amount = 100;
};

/// Uniform over all turns (Shoemake, "Uniform random rotations", Graphics Gems III, 1992).
Quat anyTurn(float a, float b, float c) {
  const float r1 = std::sqrt(1 - a);
  const float r2 = std::sqrt(a);
  return Quat(r2 * std::cos(2 * kPi * c), r1 * std::sin(2 * kPi * b), r1 * std::cos(2 * kPi * b),
              r2 * std::sin(2 * kPi * c));
}

class Turner {
 public:
  Turner(const EvalContext& ctx, const Points& points, const Params& p, const Surface* ground, const PointTree* goals)
      : m_points(points),
        m_p(p),
        m_ground(ground),
        m_goals(goals),
        m_heading(ctx.draw("heading")),
        m_spin(ctx.draw("spin")),
        m_tiltX(ctx.draw("tilt-x")),
        m_tiltZ(ctx.draw("tilt-z")),
        m_flip(ctx.draw("flip")),
        m_any{ctx.draw("any-a"), ctx.draw("any-b"), ctx.draw("any-c")} {}

  Quat turnOf(std::size_t i, bool& isParallel) const {
    const std::uint64_t id = m_points.id[i];
    if (m_p.mode == Mode::AnyWay) return anyTurn(m_any[0].unit(id), m_any[1].unit(id), m_any[2].unit(id));
    Quat turn = m_p.mode == Mode::Keep ? m_points.orientation[i] : aligned(i, id, isParallel);
    // Clockwise from above, as headings are.
    turn = turn *
           glm::angleAxis(
               -radians(steppedBetween(m_spin.unit(id), m_p.spinDeg.from, m_p.spinDeg.to, m_p.spinStepDeg, 360)), kUp);
    turn = turn * glm::angleAxis(radians(m_tiltX.between(id, m_p.tiltXDeg.from, m_p.tiltXDeg.to)), Vec3(1, 0, 0));
    turn = turn * glm::angleAxis(radians(m_tiltZ.between(id, m_p.tiltZDeg.from, m_p.tiltZDeg.to)), Vec3(0, 0, 1));
    if (m_flip.unit(id) < m_p.flipShare / 100) {
      const std::array<Vec3, 3> axes{Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(0, 0, 1)};
      turn = turn * glm::angleAxis(kPi, axes[static_cast<std::size_t>(m_p.flipAxis)]);
    }
    return glm::normalize(turn);
  }

 private:
  Quat aligned(std::size_t i, std::uint64_t id, bool& isParallel) const {
    const Vec3 base = m_p.upFrom == UpFrom::World ? kUp : directionOr(m_p.direction, kUp);
    Vec3 normal = directionOr(m_points.groundNormal[i], kUp);
    const std::uint32_t face = m_points.groundFace[i];
    if (m_p.toward == Toward::Face && m_ground && face < m_ground->faceCount()) normal = m_ground->faceNormal(face);
    const Quat lean = partialTurn(Quat(1, 0, 0, 0), shortestTurn(base, normal), m_p.lean / 100);
    const Vec3 up = glm::normalize(lean * base);
    switch (m_p.heading) {
      case Heading::Keep: return turnFacing(up, m_points.orientation[i] * Vec3(0, 0, 1), isParallel);
      case Heading::Random:
        return turnAbout(up, radians(steppedBetween(m_heading.unit(id), 0, 360, m_p.spinStepDeg, 360)));
      case Heading::Fixed: return turnFacing(up, headingVector(radians(m_p.headingDeg)), isParallel);
      case Heading::Downhill: {
        const Vec3 n = directionOr(m_points.groundNormal[i], kUp);
        return turnFacing(up, Vec3(n.x, 0, n.z), isParallel);
      }
      case Heading::Toward: return turnFacing(up, goalOf(i) - m_points.position[i], isParallel);
      case Heading::Away: return turnFacing(up, m_points.position[i] - goalOf(i), isParallel);
    }
    return {};
  }

  Vec3 goalOf(std::size_t i) const {
    if (!m_goals) return m_p.place;
    const auto nearest = m_goals->nearest(m_points.position[i]);
    return nearest ? m_goals->position(*nearest) : m_points.position[i];
  }

  const Points& m_points;
  const Params& m_p;
  const Surface* m_ground;
  const PointTree* m_goals;
  Draw m_heading;
  Draw m_spin;
  Draw m_tiltX;
  Draw m_tiltZ;
  Draw m_flip;
  std::array<Draw, 3> m_any;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const SurfacePtr ground = in.surface();
  if (p.mode == Mode::Align && p.toward == Toward::Face && !ground)
    return fail(ProblemCode::MissingInput, "the normal of the face needs the ground",
                "Connect a surface to Ground, or use the smooth normal");
  const bool isAimed = p.mode == Mode::Align && (p.heading == Heading::Toward || p.heading == Heading::Away);
  std::unique_ptr<PointTree> goals;
  if (isAimed && p.aimAt == AimAt::Nearest) {
    const PointsPtr toward = in.points("toward");
    if (!toward)
      return fail(ProblemCode::MissingInput,
                  "the heading looks for the nearest point, but no points are connected to Toward",
                  "Connect points to Toward, or aim at a place");
    goals = std::make_unique<PointTree>(toward->position.copied(toward->count), Array<float>(),
                                        toward->id.copied(toward->count), ctx.task);
  }
  const Turner turner(ctx, points, p, ground.get(), goals.get());
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  Array<Quat> turns(points.count);
  std::atomic<std::size_t> parallel{0};
  parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      bool isParallel = false;
      turns[i] = partialTurn(points.orientation[i], turner.turnOf(i, isParallel), effect[i]);
      if (isParallel) parallel.fetch_add(1, std::memory_order_relaxed);
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (parallel > 0 && p.heading != Heading::Random)
    ctx.warn(fmt::format(
        "{} points have no heading of their own (it is parallel to their up, or the ground is level); they look north",
        parallel.load()));
  Points out = points;
  out.orientation = std::move(turns);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  if (p.mode == Mode::AnyWay) return "Orient · any way round";
  std::string text = p.mode == Mode::Keep ? std::string("Orient · on top of its turn")
                     : p.lean == 0        ? std::string("Orient · upright")
                                          : fmt::format("Orient · {:g} % to normal", p.lean);
  if (p.mode == Mode::Align) {
    constexpr std::array names{"heading kept",    "any turn",      "fixed heading",
                               "facing downhill", "facing toward", "facing away"};
    text += fmt::format(" · {}", names[static_cast<std::size_t>(p.heading)]);
  }
  return text;
}

std::vector<ParamSpec> declaredParams() {
  const auto angles = [](ParamSpec spec) { return spec.in(Unit::Degree).hard(-3600, 3600).usual(-180, 180, 1); };
  return {
      param("mode", &Params::mode, ARVESK_TEXT("node", "Turn"),
            ARVESK_TEXT("node", "Align anew, work on top of the turn the points have, or uniformly any way round."),
            {{"align", ARVESK_TEXT("node", "Align")},
             {"keep", ARVESK_TEXT("node", "Keep, then add")},
             {"any-way", ARVESK_TEXT("node", "Any way round")}}),
      param("lean", &Params::lean, ARVESK_TEXT("node", "Lean to normal"),
            ARVESK_TEXT("node", "0 % stands along the up below, 100 % along the ground's normal."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1)
          .shown("mode", {"align"}),
      param("heading", &Params::heading, ARVESK_TEXT("node", "Heading"),
            ARVESK_TEXT("node", "Where the front, the own +Z, looks."),
            {{"keep", ARVESK_TEXT("node", "Kept")},
             {"random", ARVESK_TEXT("node", "Random")},
             {"fixed", ARVESK_TEXT("node", "Fixed")},
             {"downhill", ARVESK_TEXT("node", "Downhill")},
             {"toward", ARVESK_TEXT("node", "Toward")},
             {"away", ARVESK_TEXT("node", "Away from")}})
          .shown("mode", {"align"}),
      param("aim_at", &Params::aimAt, ARVESK_TEXT("node", "Aim at"),
            ARVESK_TEXT("node", "The nearest of the points at Toward, or one place."),
            {{"nearest", ARVESK_TEXT("node", "Nearest point")}, {"place", ARVESK_TEXT("node", "A place")}})
          .shown("heading", {"toward", "away"}),
      param("place", &Params::place, ARVESK_TEXT("node", "Place"), ARVESK_TEXT("node", "What the points look at."))
          .in(Unit::Meter)
          .hard(-1e6, 1e6)
          .usual(-100, 100, 0.5)
          .shown("aim_at", {"place"}),
      angles(param("heading_angle", &Params::headingDeg, ARVESK_TEXT("node", "Heading angle"),
                   ARVESK_TEXT("node", "0° is north (−Z), 90° east (+X), clockwise from above.")))
          .shown("heading", {"fixed"}),
      angles(param("spin", &Params::spinDeg, ARVESK_TEXT("node", "Spin"),
                   ARVESK_TEXT("node", "Turn about the own up, clockwise from above, drawn per point.")))
          .shown("mode", {"align", "keep"}),
      angles(param("step", &Params::spinStepDeg, ARVESK_TEXT("node", "Steps"),
                   ARVESK_TEXT("node",
                               "Random heading and spin go in steps of this, each equally likely; 90° for quarter "
                               "turns, 0° for none.")))
          .hard(0, 360)
          .shown("mode", {"align", "keep"}),
      angles(param("tilt_x", &Params::tiltXDeg, ARVESK_TEXT("node", "Tilt about X"),
                   ARVESK_TEXT("node", "Drawn per point.")))
          .shown("mode", {"align", "keep"}),
      angles(param("tilt_z", &Params::tiltZDeg, ARVESK_TEXT("node", "Tilt about Z"),
                   ARVESK_TEXT("node", "Drawn per point.")))
          .shown("mode", {"align", "keep"}),
      param("flip_share", &Params::flipShare, ARVESK_TEXT("node", "Flipped"),
            ARVESK_TEXT("node", "Share of points that get a half turn."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1)
          .shown("mode", {"align", "keep"}),
      param("flip_axis", &Params::flipAxis, ARVESK_TEXT("node", "Flip about"),
            ARVESK_TEXT("node", "Own axis of the half turn."), {{"x", "X"}, {"y", "Y"}, {"z", "Z"}})
          .shown("mode", {"align", "keep"}),
      param("up_from", &Params::upFrom, ARVESK_TEXT("node", "Up from"),
            ARVESK_TEXT("node", "What leaning starts from."),
            {{"world", ARVESK_TEXT("node", "World up")}, {"direction", ARVESK_TEXT("node", "Direction")}})
          .shown("mode", {"align"}),
      param("direction", &Params::direction, ARVESK_TEXT("node", "Direction"), ARVESK_TEXT("node", "Up at 0 % lean."))
          .hard(-1, 1)
          .usual(-1, 1, 0.05)
          .shown("up_from", {"direction"}),
      param("toward", &Params::toward, ARVESK_TEXT("node", "Normal"),
            ARVESK_TEXT("node", "Smooth as in the ground record, or of the flat face (needs the ground)."),
            {{"smooth", ARVESK_TEXT("node", "Smooth")}, {"face", ARVESK_TEXT("node", "Of the face")}})
          .shown("mode", {"align"}),
      amountParam(&Params::amount),
  };
}

}  // namespace

const NodeKind& orient() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "orient";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Orient");
    k.help = ARVESK_TEXT(
        "node",
        "Sets how points stand: up leans from world up, or a direction, toward the ground's normal; the heading is "
        "kept, random, fixed, downhill, or toward or away from the nearest connected point or a place; then spin about "
        "the own up, tilt about own X and Z, and a half turn for a share. "
        "Replaces the turn the points had unless it is set to work on top of it. A heading is a compass: 0° north "
        "(−Z), "
        "90° east (+X), clockwise from above; the prop's front, its own +Z, looks there. On a wall a chosen heading "
        "looks "
        "along the wall, as near to it as the wall allows; where it is parallel to up the point looks north. A random "
        "heading is uniform about the point's own up, on walls too.");
    k.glyph = "orient";
    k.synonyms = {"rotate", "align", "normal", "heading", "turn", "spin", "tilt", "up", "upright"};
    k.inputs = {pointsInput(),
                groundInput(true),
                adjustWhereInput(),
                {"toward", ValueType::Points, ARVESK_TEXT("node", "Toward"),
                 ARVESK_TEXT("node", "For a heading toward or away: the nearest of these counts."), true, false}};
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    keepsSizes(k);
    k.params = declaredParams();
    k.usesSeed = true;
    k.example.params = {{"lean", 100.0}, {"tilt_x", std::vector<double>{-12, 12}}};
    k.example.spacing = 2.4;
    k.trial.params = {{"lean", 50.0}, {"tilt_x", std::vector<double>{-10, 10}}, {"flip_share", 30.0}};
    reaches<Params>(k, [](const Params& p) {
      const bool isAimed = p.mode == Mode::Align && (p.heading == Heading::Toward || p.heading == Heading::Away);
      return isAimed && p.aimAt == AimAt::Nearest ? Reach::whole(false) : Reach::none();
    });
    putUnder(k.params, ARVESK_TEXT("node", "Tilt and flip"), {"step", "tilt_x", "tilt_z", "flip_share", "flip_axis"});
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
