// Overshoot: points follow what comes in as on a damped spring.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

#include <atomic>
#include <unordered_map>

namespace arvesk::nodes {
namespace {

enum class Starts { AsItIs, FromNothing };
struct Params {
  float frequency = 2;
  float damping = 0.25F;
  bool movesPlace = true;
  bool movesTurn = true;
  bool movesSize = true;
  Starts starts = Starts::AsItIs;
  float amount = 100;
};

/// How an offset from rest and its speed go on over a while, alike for all points: the free motion of
/// x″ + 2ζωx′ + ω²x = 0, of which these are the four numbers (any textbook on vibration; for example S. S. Rao,
/// "Mechanical Vibrations", section 2.6).
struct Spring {
  double fromOffset = 1, fromSpeed = 0;            // of the offset after it
  double speedFromOffset = 0, speedFromSpeed = 1;  // of the speed after it
  double lag = 0;  // s: behind what moves evenly it stays by its speed times this (2ζ/ω)

  Spring(double frequency, double damping, double seconds) {
    const double w = 2 * std::numbers::pi * frequency;
    const double a = damping * w;
    lag = 2 * damping / w;
    const double decay = std::exp(-a * seconds);
    double c = decay;            // e^(−at) cos(ωd t), or with cosh
    double s = decay * seconds;  // e^(−at) sin(ωd t) / ωd
    if (const double rest = 1 - damping * damping; rest > 1e-9) {
      const double wd = w * std::sqrt(rest);
      c = decay * std::cos(wd * seconds);
      s = decay * std::sin(wd * seconds) / wd;
    } else if (rest < -1e-9) {  // in two decays, since cosh alone would be beyond any number for stiff springs
      const double wd = w * std::sqrt(-rest);
      const double slow = std::exp((wd - a) * seconds);
      const double fast = std::exp(-(wd + a) * seconds);
      c = (slow + fast) / 2;
      s = (slow - fast) / (2 * wd);
    }
    fromOffset = c + a * s;
    fromSpeed = s;
    speedFromOffset = -w * w * s;
    speedFromSpeed = c - a * s;
  }
};

using DVec3 = glm::dvec3;

/// What follows: how far it is from its target, and its speed in the world, per second.
struct Swing {
  DVec3 offset{0};
  DVec3 speed{0};

  /// Goes on while the target moves evenly by `moved` within `seconds`: exact then.
  void goOn(const Spring& spring, const DVec3& moved, double seconds) {
    const DVec3 v = moved / seconds;
    const DVec3 lag = v * spring.lag;
    const DVec3 u = offset + lag;
    const DVec3 du = speed - v;
    offset = spring.fromOffset * u + spring.fromSpeed * du - lag;
    speed = spring.speedFromOffset * u + spring.speedFromSpeed * du + v;
    constexpr double kRest = 1e-9;  // it has come to rest: no rounding keeps it moving
    if (glm::dot(offset, offset) < kRest * kRest && glm::dot(speed, speed) < kRest * kRest) offset = speed = DVec3(0);
  }
};

/// What a point was at a frame: its targets, and where it swung around them.
struct Was {
  std::uint64_t id = 0;
  Vec3 place{0};
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
  Swing placeSwing, turnSwing, sizeSwing;
};

struct Memory final : Cached {
  Array<Was> list;  // in the order of the points
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this) + list.capacity() * sizeof(Was));
  }
};

/// The turn as an axis times an angle in radians, the shorter way.
DVec3 vectorOf(Quat q) {
  if (q.w < 0) q = -q;
  const DVec3 axis(q.x, q.y, q.z);
  const double sine = glm::length(axis);
  return sine < 1e-12 ? DVec3(0) : axis / sine * (2 * std::atan2(sine, static_cast<double>(q.w)));
}
Quat turnBy(const DVec3& v) {
  const double angle = glm::length(v);
  return angle < 1e-12 ? Quat(1, 0, 0, 0) : glm::angleAxis(static_cast<float>(angle), Vec3(v / angle));
}

/// Finds points again that may have come, gone or changed places.
class Finder {
 public:
  Finder(const Memory& memory, const Points& points) : m_memory(memory) {
    m_isSame = memory.list.size() == points.count;
    for (std::size_t i = 0; m_isSame && i < points.count; ++i) m_isSame = memory.list[i].id == points.id[i];
    if (m_isSame) return;
    m_places.reserve(memory.list.size());
    for (std::size_t i = 0; i < memory.list.size(); ++i) m_places.emplace(memory.list[i].id, i);
  }
  const Was* find(std::size_t i, std::uint64_t id) const {
    if (m_isSame) return &m_memory.list[i];
    const auto it = m_places.find(id);
    return it == m_places.end() ? nullptr : &m_memory.list[it->second];
  }

 private:
  const Memory& m_memory;
  bool m_isSame = false;
  std::unordered_map<std::uint64_t, std::size_t> m_places;
};

Was wentOn(const Was& was, const Was& now, const Spring& spring, double seconds, const Params& p) {
  Was out = now;
  const auto follow = [&](bool does, const Swing& before, Swing& swing, const DVec3& moved) {
    if (!does) return;
    swing = before;
    swing.goOn(spring, moved, seconds);
  };
  follow(p.movesPlace, was.placeSwing, out.placeSwing, DVec3(now.place) - DVec3(was.place));
  follow(p.movesTurn, was.turnSwing, out.turnSwing, vectorOf(now.turn * glm::conjugate(was.turn)));
  follow(p.movesSize, was.sizeSwing, out.sizeSwing, DVec3(now.size) - DVec3(was.size));
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  if (!ctx.now.isOfTime) ctx.warn("the plan has no time: nothing moves", "Give it one: Site, Time line");
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  const auto* before = dynamic_cast<const Memory*>(ctx.before.get());
  auto memory = std::make_shared<Memory>();
  memory->list.resize(points.count);
  Array<Vec3> position = points.position.copied(points.count);
  Array<Vec3> size = points.size.copied(points.count);
  Array<Quat> orientation = points.orientation.copied(points.count);
  const std::optional<Finder> finder = before ? std::optional<Finder>(std::in_place, *before, points) : std::nullopt;
  const Spring spring(p.frequency, p.damping, ctx.sinceBefore);
  std::atomic<std::size_t> moving{0};
  parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
    std::size_t here = 0;
    for (std::size_t i = begin; i < end; ++i) {
      Was now{points.id[i], points.position[i], points.orientation[i], points.size[i], {}, {}, {}};
      const Was* was = finder ? finder->find(i, points.id[i]) : nullptr;
      if (was)
        now = wentOn(*was, now, spring, ctx.sinceBefore, p);
      else if (before && p.starts == Starts::FromNothing && p.movesSize)
        now.sizeSwing.offset = -DVec3(now.size);
      memory->list[i] = now;
      const DVec3& turned = now.turnSwing.offset;
      here += now.placeSwing.offset != DVec3(0) || turned != DVec3(0) || now.sizeSwing.offset != DVec3(0);
      position[i] += Vec3(now.placeSwing.offset * static_cast<double>(effect[i]));
      if (turned != DVec3(0))
        orientation[i] = glm::normalize(turnBy(turned * static_cast<double>(effect[i])) * orientation[i]);
      if (const DVec3& off = now.sizeSwing.offset; off != DVec3(0))
        size[i] = sized(size[i], Vec3(1) + Vec3(off / DVec3(size[i])) * effect[i]);
    }
    moving.fetch_add(here, std::memory_order_relaxed);
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (ctx.after) *ctx.after = std::move(memory);
  ctx.say(fmt::format("{} moving", moving.load()));
  Points out = points;
  out.position = std::move(position);
  out.size = std::move(size);
  out.orientation = std::move(orientation);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  return fmt::format("Overshoot · {:g} Hz, damped {:g}", p.frequency, p.damping);
}

}  // namespace

const NodeKind& overshoot() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "overshoot";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Overshoot");
    k.help = ARVESK_TEXT("node",
                         "Place, turn and size of each point follow what comes in as on a damped spring: they begin "
                         "late, go beyond and come to rest. At the plan's first frame all is at rest; from there on "
                         "each frame follows from the one before, whichever is asked for first. Frames that are "
                         "missing are worked out, which takes a while the first time.");
    k.glyph = "overshoot";
    k.synonyms = {"spring", "bounce", "jiggle", "follow", "lag", "ease", "animate", "time"};
    k.inputs = {pointsInput(), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    k.params = {
        param("frequency", &Params::frequency, ARVESK_TEXT("node", "Swings per second"),
              ARVESK_TEXT("node", "How often it would swing without damping: more is stiffer."))
            .hard(0.01, 100)
            .usual(0.2, 8, 0.1),
        param("damping", &Params::damping, ARVESK_TEXT("node", "Damping"),
              ARVESK_TEXT("node", "0 swings for ever; from 1 on nothing goes beyond."))
            .hard(0, 20)
            .usual(0, 1.5, 0.05),
        param("place", &Params::movesPlace, ARVESK_TEXT("node", "Place"), ARVESK_TEXT("node", "The place follows.")),
        param("turn", &Params::movesTurn, ARVESK_TEXT("node", "Turn"), ARVESK_TEXT("node", "The turn follows.")),
        param("size", &Params::movesSize, ARVESK_TEXT("node", "Size"), ARVESK_TEXT("node", "The size follows.")),
        param("starts", &Params::starts, ARVESK_TEXT("node", "New points"),
              ARVESK_TEXT("node", "What comes in after the first frame is there as it is, or springs up from nothing."),
              {{"as-it-is", ARVESK_TEXT("node", "As they are")}, {"from-nothing", ARVESK_TEXT("node", "From nothing")}})
            .shown("size", {"on"}),
        amountParam(&Params::amount),
    };
    k.remembers = [](const ParamMap&) { return true; };
    k.example.spacing = 1.6;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
