// Timing: each point comes, or goes, at its own time.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/attribute_name.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/registry.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class By { Place, Number, Mask, Order, Chance };
enum class Does { Comes, Goes };
enum class Ease { Even, Soft, Swift, Slow };
struct Params {
  By by = By::Place;
  Vec3 place{0};
  float reach = 20;
  std::string number = "age";
  Range values{0, 1};
  float begins = 1;
  float spread = 48;
  Range takes{12, 12};
  Ease ease = Ease::Soft;
  Does does = Does::Comes;
  float size = 0;
  Vec3 from{0};
  Vec3 turnDeg{0};
  std::string name = "progress";
  float amount = 100;
};

/// Of the spread that has passed when each point begins; 0 is the first. Distances go on beyond 1.
Result<Array<float>> delaysOf(const EvalContext& ctx, const Inputs& in, const Points& points, const Params& p) {
  Array<float> delay(points.count);
  switch (p.by) {
    case By::Place:
      for (std::size_t i = 0; i < points.count; ++i) delay[i] = glm::distance(points.position[i], p.place) / p.reach;
      break;
    case By::Number: {
      if (!readNumbers(points, p.number, 0, points.count, delay.data()))
        return fail(ProblemCode::WrongInput, fmt::format("the points carry no number \"{}\"", p.number),
                    "They carry: " + listOf(numberNames(points)));
      const float span = p.values.to - p.values.from;
      for (float& v : delay)
        v = span != 0 ? std::clamp((v - p.values.from) / span, 0.0F, 1.0F) : (v < p.values.from ? 0.0F : 1.0F);
      break;
    }
    case By::Mask: {
      const MaskPtr mask = in.mask("mask");
      if (!mask)
        return fail(ProblemCode::MissingInput, "the time goes along a mask, but none is connected to Mask",
                    "Connect a mask, or choose another way under Time goes");
      delay = maskValues(ctx.task, *mask, points);
      for (float& v : delay) v = 1 - v;
      break;
    }
    case By::Order:
      for (std::size_t i = 0; i < points.count; ++i)
        delay[i] = points.count < 2 ? 0.0F : static_cast<float>(i) / static_cast<float>(points.count - 1);
      break;
    case By::Chance: {
      const Draw draw = ctx.draw("begins");
      for (std::size_t i = 0; i < points.count; ++i) delay[i] = draw.unit(points.id[i]);
      break;
    }
  }
  return delay;
}

/// 0 to 1 for the share of the time that has passed. Swift begins fast, slow ends fast (squares); soft is 3t² − 2t³.
float eased(Ease ease, float t) {
  switch (ease) {
    case Ease::Even: return t;
    case Ease::Soft: return t * t * (3 - 2 * t);
    case Ease::Swift: return t * (2 - t);
    case Ease::Slow: return t * t;
  }
  return t;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  auto delays = delaysOf(ctx, in, points, p);
  if (!delays) return Failure(delays.error());
  if (!ctx.now.isOfTime)
    ctx.warn("the plan has no time: all points are as they are in the end", "Give it one: Site, Time line");
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  const Draw takes = ctx.draw("takes");
  const auto frame = static_cast<float>(ctx.now.frame);
  Array<Vec3> position = points.position.copied(points.count);
  Array<Vec3> size = points.size.copied(points.count);
  Array<Quat> orientation = points.orientation.copied(points.count);
  Array<float> progress(points.count);
  std::size_t begun = 0;
  std::size_t over = 0;
  for (std::size_t i = 0; i < points.count; ++i) {
    endIfStoppedAt(i);
    const float since = frame - (p.begins + (*delays)[i] * p.spread);
    const float lasts = takes.between(points.id[i], p.takes.from, p.takes.to);
    const float t = !ctx.now.isOfTime ? 1.0F
                    : lasts > 0       ? std::clamp(since / lasts, 0.0F, 1.0F)
                                      : (since < 0 ? 0.0F : 1.0F);
    begun += t > 0;
    over += t >= 1;
    const float there = p.does == Does::Comes ? eased(p.ease, t) : 1 - eased(p.ease, t);
    progress[i] = there;
    const float away = (1 - there) * effect[i];
    if (away == 0) continue;
    size[i] = sized(size[i], Vec3(1 + (p.size - 1) * away));
    position[i] += p.from * away;
    if (p.turnDeg != Vec3(0)) orientation[i] = glm::normalize(orientation[i] * turnOf(p.turnDeg * away));
  }
  ctx.say(fmt::format("{} begun, {} over", begun, over));
  Points out = points;
  out.position = std::move(position);
  out.size = std::move(size);
  out.orientation = std::move(orientation);
  if (!p.name.empty()) out.attributes.insert_or_assign(p.name, Column<float>(std::move(progress)));
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  constexpr std::array by{"from a place", "by a number", "along a mask", "one after the other", "at random"};
  return fmt::format("Timing · {}, {:g} + {:g} frames", by[static_cast<std::size_t>(p.by)], p.spread,
                     std::max(p.takes.from, p.takes.to));
}

std::vector<ParamSpec> declaredParams() {
  const auto frames = [](ParamSpec spec, double from) {
    return spec.hard(from, 1e6).usual(from < 0 ? -100 : 0, 240, 1);
  };
  return {
      param("by", &Params::by, ARVESK_TEXT("node", "Time goes"), ARVESK_TEXT("node", "Who begins first."),
            {{"place", ARVESK_TEXT("node", "Out from a place")},
             {"number", ARVESK_TEXT("node", "By a number")},
             {"mask", ARVESK_TEXT("node", "Along a mask")},
             {"order", ARVESK_TEXT("node", "One after the other")},
             {"chance", ARVESK_TEXT("node", "At random")}}),
      param("place", &Params::place, ARVESK_TEXT("node", "Place"), ARVESK_TEXT("node", "Nearest first."))
          .in(Unit::Meter)
          .hard(-1e5, 1e5)
          .usual(-100, 100, 0.5)
          .shown("by", {"place"}),
      param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
            ARVESK_TEXT("node", "Who stands so far away begins when the spread is over; farther ones later."))
          .in(Unit::Meter)
          .hard(0.01, 1e5)
          .usual(1, 200, 1)
          .shown("by", {"place"}),
      param("number", &Params::number, ARVESK_TEXT("node", "Number"),
            ARVESK_TEXT("node", "Name of the attribute, or x, y, z, height, slope, size, footprint."))
          .shown("by", {"number"}),
      param("values", &Params::values, ARVESK_TEXT("node", "From, to"),
            ARVESK_TEXT("node", "The number that begins first, and the one that begins last."))
          .hard(-1e6, 1e6)
          .usual(0, 2, 0.01)
          .shown("by", {"number"}),
      frames(param("begins", &Params::begins, ARVESK_TEXT("node", "Begins at frame"),
                   ARVESK_TEXT("node", "The frame at which the first one begins.")),
             -1e6),
      frames(param("spread", &Params::spread, ARVESK_TEXT("node", "Spread, frames"),
                   ARVESK_TEXT("node", "From the beginning of the first one to that of the last one.")),
             0),
      frames(param("takes", &Params::takes, ARVESK_TEXT("node", "Takes, frames"),
                   ARVESK_TEXT("node", "How long each is on its way, at random between the two.")),
             0),
      param("ease", &Params::ease, ARVESK_TEXT("node", "Pace"), ARVESK_TEXT("node", "How each goes on its way."),
            {{"even", ARVESK_TEXT("node", "Even")},
             {"soft", ARVESK_TEXT("node", "Soft at both ends")},
             {"swift", ARVESK_TEXT("node", "Swift at first")},
             {"slow", ARVESK_TEXT("node", "Slow at first")}}),
      param("does", &Params::does, ARVESK_TEXT("node", "Each"),
            ARVESK_TEXT("node", "Comes to be as it is, or goes away from there."),
            {{"comes", ARVESK_TEXT("node", "Comes")}, {"goes", ARVESK_TEXT("node", "Goes")}}),
      param("size", &Params::size, ARVESK_TEXT("node", "Size when away"),
            ARVESK_TEXT("node",
                        "Factor on the size before a point comes and after it went; at 0 it is not there at all."))
          .hard(0, 1000)
          .usual(0, 2, 0.05),
      param("from", &Params::from, ARVESK_TEXT("node", "Moved when away"),
            ARVESK_TEXT("node", "How far from its place it is before it comes and after it went."))
          .in(Unit::Meter)
          .hard(-1e4, 1e4)
          .usual(-5, 5, 0.05),
      param("turn", &Params::turnDeg, ARVESK_TEXT("node", "Turned when away"),
            ARVESK_TEXT("node", "About its own axes, before it comes and after it went."))
          .in(Unit::Degree)
          .hard(-3600, 3600)
          .usual(-180, 180, 1),
      param("name", &Params::name, ARVESK_TEXT("node", "Writes number"),
            ARVESK_TEXT("node", "Name of an attribute that gets how far each has come, 0 to 1; empty: none."))
          .checked([](const std::string& name) { return name.empty() ? std::string() : faultOfAttributeName(name); }),
      amountParam(&Params::amount),
  };
}

}  // namespace

const NodeKind& timing() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "timing";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Timing");
    k.help = ARVESK_TEXT("node",
                         "Lets points come, or go, each at its own time: out from a place, by a number, along a mask, "
                         "one after the other or at random. Before its time a point has another size, place or turn, "
                         "or is not there at all; growth is from the base. Each time hangs on the point alone, so "
                         "any frame can be asked for first.");
    k.glyph = "timing";
    k.synonyms = {"delay", "stagger", "wave", "reveal", "grow", "appear", "animate", "time"};
    k.inputs = {pointsInput(),
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "Who stands where it is 1 begins first, where it is 0 last."), true, false},
                adjustWhereInput()};
    offersAttributes(k, "number", Carried::Numbers);
    k.outputs = {pointsOutput()};
    k.params = declaredParams();
    k.usesSeed = true;
    k.usesTime = [](const ParamMap&) { return true; };
    k.reachOf = [](const ParamMap& values) {
      const auto by = values.find("by");
      return by != values.end() && by->second == ParamValue(std::string("order")) ? Reach::whole(true) : Reach::none();
    };
    k.example.params = {{"reach", 8.0}, {"spread", 40.0}, {"takes", std::vector<double>{20, 20}}};
    k.example.spacing = 1.4;
    k.trial.params = {{"number", std::string("x")},
                      {"values", std::vector<double>{-8, 8}},
                      {"takes", std::vector<double>{20, 60}},
                      {"size", 0.3}};
    hasAtMost<Params>(k, [](const Params& p, const Most& came, const Inputs&) -> std::optional<Most> {
      return sizedBy(came, p.size, p.amount);
    });
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> {
      const double more = std::max(1.0, static_cast<double>(p.amount) / 100);
      return Carries{more * static_cast<double>(glm::length(Vec2(p.from.x, p.from.z))),
                     more * static_cast<double>(std::abs(p.from.y))};
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
