// Vary: small random differences of place, turn, size and tint.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Frame { Own, World, Ground };
enum class SizeBy { Uniform, PerAxis };
struct Params {
  Frame frame = Frame::World;
  Range moveX{0, 0};
  Range moveY{0, 0};
  Range moveZ{0, 0};
  Range turnXDeg{0, 0};
  Range turnYDeg{0, 0};
  Range turnZDeg{0, 0};
  float turnStepDeg = 0;
  SizeBy sizeBy = SizeBy::Uniform;
  Range size{1, 1};
  Range sizeX{1, 1};
  Range sizeY{1, 1};
  Range sizeZ{1, 1};
  float sizeStep = 0;
  Range hueDeg{0, 0};
  Range saturation{0, 0};
  Range value{0, 0};
  float share = 100;
  float amount = 100;
};

class Variation {
 public:
  Variation(const EvalContext& ctx, const Params& p) : m_ctx(ctx), m_p(p) {}
  float number(const char* purpose, std::uint64_t id, const Range& range, float step = 0, float period = 0) const {
    return range.from == range.to ? range.from
                                  : steppedBetween(m_ctx.draw(purpose).unit(id), range.from, range.to, step, period);
  }

  Vec3 move(std::uint64_t id, float effect, const Quat& own, const Vec3& normal) const {
    const Vec3 m = effect * Vec3(number("move-x", id, m_p.moveX), number("move-y", id, m_p.moveY),
                                 number("move-z", id, m_p.moveZ));
    switch (m_p.frame) {
      case Frame::Own: return own * m;
      case Frame::World: return m;
      case Frame::Ground: return shortestTurn(kUp, directionOr(normal, kUp)) * m;
    }
    return m;
  }

  Quat turn(std::uint64_t id, float effect) const {
    const auto about = [&](const char* purpose, const Range& range, const Vec3& axis) {
      return glm::angleAxis(radians(effect * number(purpose, id, range, m_p.turnStepDeg, 360)), axis);
    };
    // About up as headings go: clockwise from above.
    return about("turn-y", m_p.turnYDeg, {0, -1, 0}) * about("turn-x", m_p.turnXDeg, {1, 0, 0}) *
           about("turn-z", m_p.turnZDeg, {0, 0, 1});
  }

  Vec3 size(std::uint64_t id, float effect) const {
    Vec3 s(number("size", id, m_p.size, m_p.sizeStep));
    if (m_p.sizeBy == SizeBy::PerAxis)
      s = {number("size-x", id, m_p.sizeX, m_p.sizeStep), number("size-y", id, m_p.sizeY, m_p.sizeStep),
           number("size-z", id, m_p.sizeZ, m_p.sizeStep)};
    return glm::max(Vec3(1) + (s - Vec3(1)) * effect, Vec3(1e-4F));
  }

  Vec3 tint(std::uint64_t id, float effect) const {
    return effect * Vec3(number("hue", id, m_p.hueDeg) / 360, number("saturation", id, m_p.saturation) / 100,
                         number("value", id, m_p.value) / 100);
  }
  bool hasTint() const {
    return m_p.hueDeg != Range{0, 0} || m_p.saturation != Range{0, 0} || m_p.value != Range{0, 0};
  }

 private:
  const EvalContext& m_ctx;
  const Params& m_p;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  const Variation variation(ctx, p);
  const Draw share = ctx.draw("share");
  const auto before = points.attributes.find("tint");
  const auto* oldTint = before == points.attributes.end() ? nullptr : std::get_if<Column<Vec3>>(&before->second);
  Array<Vec3> position = points.position.copied(points.count);
  Array<Quat> orientation = points.orientation.copied(points.count);
  Array<Vec3> size = points.size.copied(points.count);
  Array<Vec3> tint;
  const bool hasTint = variation.hasTint();
  tint.assign(hasTint ? points.count : 0, Vec3(0));
  parallelPieces(ctx.task, points.count, 2048, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const std::uint64_t id = points.id[i];
      if (hasTint && oldTint) tint[i] = (*oldTint)[i];
      if (share.unit(id) >= p.share / 100) continue;
      position[i] += variation.move(id, effect[i], orientation[i], points.groundNormal[i]);
      orientation[i] = glm::normalize(orientation[i] * variation.turn(id, effect[i]));
      size[i] *= variation.size(id, effect[i]);
      if (hasTint) tint[i] += variation.tint(id, effect[i]);
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = points;
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.size = std::move(size);
  if (hasTint) out.attributes["tint"] = Column<Vec3>(std::move(tint));
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  std::string text = "Vary";
  const auto moves = [](const Range& r) { return r != Range{0, 0}; };
  if (p.sizeBy == SizeBy::Uniform && p.size != Range{1, 1})
    text += fmt::format(" · size {:g} to {:g}", p.size.from, p.size.to);
  if (p.sizeBy == SizeBy::PerAxis) text += " · size per axis";
  if (moves(p.moveX) || moves(p.moveY) || moves(p.moveZ)) text += " · moved";
  if (moves(p.turnXDeg) || moves(p.turnYDeg) || moves(p.turnZDeg)) text += " · turned";
  if (moves(p.hueDeg) || moves(p.saturation) || moves(p.value)) text += " · tinted";
  return text == "Vary" ? "Vary · nothing yet" : text;
}

}  // namespace

const NodeKind& vary() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "vary";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Vary");
    k.help = ARVESK_TEXT(
        "node",
        "Nothing happens until something is asked. Random differences per point: moves along own axes, world axes or "
        "the ground, turns in the own frame, "
        "multiplies size, and tints. Ranges draw uniformly and a point's draws never change when others come or go. "
        "Moving leaves the ground record as it was; put Set down after it.");
    k.glyph = "vary";
    k.synonyms = {"random", "jitter", "transform", "scale", "rotate", "offset", "color"};
    k.inputs = {pointsInput(), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    const auto meters = [](ParamSpec spec) { return spec.in(Unit::Meter).hard(-1e4, 1e4).usual(-2, 2, 0.05); };
    const auto angles = [](ParamSpec spec) { return spec.in(Unit::Degree).hard(-3600, 3600).usual(-180, 180, 1); };
    const auto factor = [](ParamSpec spec) { return spec.hard(0.0001, 1000).usual(0.1, 3, 0.05); };
    const auto percent = [](ParamSpec spec) { return spec.in(Unit::Percent).hard(-100, 100).usual(-50, 50, 1); };
    k.params = {
        factor(param("size", &Params::size, ARVESK_TEXT("node", "Size"), ARVESK_TEXT("node", "Factor on all axes.")))
            .shown("size_by", {"uniform"}),
        factor(
            param("size_x", &Params::sizeX, ARVESK_TEXT("node", "Size X"), ARVESK_TEXT("node", "Factor along own X.")))
            .shown("size_by", {"per-axis"}),
        factor(
            param("size_y", &Params::sizeY, ARVESK_TEXT("node", "Size Y"), ARVESK_TEXT("node", "Factor along own Y.")))
            .shown("size_by", {"per-axis"}),
        factor(
            param("size_z", &Params::sizeZ, ARVESK_TEXT("node", "Size Z"), ARVESK_TEXT("node", "Factor along own Z.")))
            .shown("size_by", {"per-axis"}),
        param("size_by", &Params::sizeBy, ARVESK_TEXT("node", "Sizes"),
              ARVESK_TEXT("node", "One factor for all axes, or one for each."),
              {{"uniform", ARVESK_TEXT("node", "Uniform")}, {"per-axis", ARVESK_TEXT("node", "Per axis")}}),
        factor(param("size_step", &Params::sizeStep, ARVESK_TEXT("node", "Size steps"),
                     ARVESK_TEXT("node", "Sizes go in steps of this, each equally likely; 0 for none.")))
            .hard(0, 100),
        angles(param("turn_x", &Params::turnXDeg, ARVESK_TEXT("node", "Turn X"), ARVESK_TEXT("node", "About own X."))),
        angles(param("turn_y", &Params::turnYDeg, ARVESK_TEXT("node", "Turn Y"),
                     ARVESK_TEXT("node", "About own up, clockwise from above."))),
        angles(param("turn_z", &Params::turnZDeg, ARVESK_TEXT("node", "Turn Z"), ARVESK_TEXT("node", "About own Z."))),
        angles(param("turn_step", &Params::turnStepDeg, ARVESK_TEXT("node", "Turn steps"),
                     ARVESK_TEXT("node", "Turns go in steps of this, each equally likely; 0° for none.")))
            .hard(0, 360),
        param("frame", &Params::frame, ARVESK_TEXT("node", "Moves along"),
              ARVESK_TEXT("node", "Which axes the moves below follow."),
              {{"own", ARVESK_TEXT("node", "Own axes")},
               {"world", ARVESK_TEXT("node", "World axes")},
               {"ground", ARVESK_TEXT("node", "The ground")}}),
        meters(param("move_x", &Params::moveX, ARVESK_TEXT("node", "Move X"), ARVESK_TEXT("node", "Drawn per point."))),
        meters(param("move_y", &Params::moveY, ARVESK_TEXT("node", "Move Y"), ARVESK_TEXT("node", "Drawn per point."))),
        meters(param("move_z", &Params::moveZ, ARVESK_TEXT("node", "Move Z"), ARVESK_TEXT("node", "Drawn per point."))),
        angles(
            param("hue", &Params::hueDeg, ARVESK_TEXT("node", "Hue"), ARVESK_TEXT("node", "Turn of the color wheel."))),
        percent(param("saturation", &Params::saturation, ARVESK_TEXT("node", "Saturation"),
                      ARVESK_TEXT("node", "More or less color."))),
        percent(param("value", &Params::value, ARVESK_TEXT("node", "Brightness"),
                      ARVESK_TEXT("node", "Lighter or darker."))),
        param("share", &Params::share, ARVESK_TEXT("node", "Affected"),
              ARVESK_TEXT("node", "Share of points that are varied at all."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
        amountParam(&Params::amount),
    };
    k.usesSeed = true;
    k.example.params = {{"turn_y", std::vector<double>{-180, 180}}, {"size", std::vector<double>{0.5, 1.6}}};
    k.example.spacing = 2.4;
    k.trial.params = {{"move_x", std::vector<double>{-1, 1}},
                      {"turn_y", std::vector<double>{0, 360}},
                      {"hue", std::vector<double>{-10, 10}}};
    putUnder(k.params, ARVESK_TEXT("node", "Size by axis"), {"size_x", "size_y", "size_z", "size_by", "size_step"});
    putUnder(k.params, ARVESK_TEXT("node", "Move"), {"frame", "move_x", "move_y", "move_z"});
    putUnder(k.params, ARVESK_TEXT("node", "Color"), {"hue", "saturation", "value"});
    putUnder(k.params, ARVESK_TEXT("node", "Turn about the ground"), {"turn_x", "turn_z", "turn_step"});
    putUnder(k.params, ARVESK_TEXT("node", "How many"), {"share", "amount"});
    hasAtMost<Params>(k, [](const Params& p, const Most& came, const Inputs&) -> std::optional<Most> {
      const bool isUniform = p.sizeBy == SizeBy::Uniform;
      float largest = 0;
      for (const Range& r : {isUniform ? p.size : p.sizeX, isUniform ? p.size : p.sizeY, isUniform ? p.size : p.sizeZ})
        largest = std::max({largest, r.from, r.to});
      return sizedBy(came, largest + std::abs(p.sizeStep), p.amount);  // steps may end beyond the range
    });
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> {
      const auto farthest = [](const Range& r) {
        return static_cast<double>(std::max(std::abs(r.from), std::abs(r.to)));
      };
      const double more = std::max(1.0, static_cast<double>(p.amount) / 100);
      const double across = more * std::hypot(farthest(p.moveX), farthest(p.moveZ));
      const double up = more * farthest(p.moveY);
      if (p.frame == Frame::World) return Carries{across, up};
      return Carries{std::hypot(across, up), std::hypot(across, up)};
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
