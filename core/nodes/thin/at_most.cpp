// At most: a number or a share of the points, or every n-th.
#include "core/base/sorting.h"
#include "core/nodes/registry.h"
#include "core/nodes/thin/exposed.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Keep { Number, Share, EveryNth };
enum class First { Chance, Mask };
struct Params {
  Keep keep = Keep::Number;
  int number = 100;
  float share = 50;
  int every = 2;
  First first = First::Chance;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  Array<std::uint8_t> keeps;
  keeps.assign(points.count, 0);
  if (p.keep == Keep::EveryNth) {
    for (std::size_t i = 0; i < points.count; i += static_cast<std::size_t>(p.every)) keeps[i] = 1;
    return keptAndLeft(ctx, points, keeps);
  }
  const MaskPtr mask = in.mask("mask");
  if (p.first == First::Mask && !mask)
    return fail(ProblemCode::MissingInput, "the highest mask values are to stay, but no mask is connected",
                "Connect a mask, or let chance decide");
  const Draw rank = ctx.draw("keep");
  if (p.keep == Keep::Share && p.first == First::Chance) {  // by each point's own rank: no point looks at the others
    for (std::size_t i = 0; i < points.count; ++i) keeps[i] = rank.unit(points.id[i]) * 100 < p.share;
    return keptAndLeft(ctx, points, keeps);
  }
  const Array<float> value = p.first == First::Mask ? maskValues(ctx.task, *mask, points) : Array<float>();
  struct Ranked {
    float value;
    std::uint64_t tie;
    std::uint32_t index;
  };
  Array<Ranked> ranked(points.count);
  for (std::size_t i = 0; i < points.count; ++i)
    ranked[i] = {value.empty() ? 0.0F : value[i], rank.bits(points.id[i]), static_cast<std::uint32_t>(i)};
  const auto wanted = std::min(
      points.count, p.keep == Keep::Number
                        ? static_cast<std::size_t>(p.number)
                        : static_cast<std::size_t>(
                              std::llround(static_cast<double>(points.count) * static_cast<double>(p.share) / 100)));
  firstToFront(ranked, wanted,
               [](const Ranked& a, const Ranked& b) { return a.value != b.value ? a.value > b.value : a.tie < b.tie; });
  for (std::size_t k = 0; k < wanted; ++k) keeps[ranked[k].index] = 1;
  return keptAndLeft(ctx, points, keeps);
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  const MaskPtr mask = in.mask("mask");
  const Array<float> value = mask && p.first == First::Mask ? maskValues(ctx.task, *mask, points) : Array<float>();
  std::vector<std::string> out;
  for (std::size_t i = 0; i < points.count; ++i)
    out.push_back(p.keep == Keep::EveryNth ? fmt::format("its place in the order, every {}", p.every)
                  : !value.empty()         ? fmt::format("mask value {:.3f} against the others", value[i])
                                   : fmt::format("rank {:.3f} among the others", ctx.draw("keep").unit(points.id[i])));
  return out;
}

std::string sentence(const Params& p) {
  if (p.keep == Keep::EveryNth) return fmt::format("Every {} in order", p.every);
  return fmt::format("At most {}{}",
                     p.keep == Keep::Number ? fmt::format("{}", p.number) : fmt::format("{:g} %", p.share),
                     p.first == First::Mask ? " · highest mask" : "");
}

}  // namespace

const NodeKind& atMost() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "at-most";
    k.family = Family::Thin;
    k.label = ARVESK_TEXT("node", "At most");
    k.help = ARVESK_TEXT(
        "node",
        "Keeps a number or a share of the points: at random, each by its own fixed rank, or those with "
        "the highest mask value. Raising the number only adds. Every n-th goes by array order, so "
        "removing one point before it changes which stay.");
    k.glyph = "at-most";
    k.synonyms = {"limit", "count", "reduce", "every", "nth", "budget"};
    k.inputs = {pointsInput(),
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "Its highest values stay, when that is chosen."), true, false}};
    k.outputs = {pointsOutput(), leftOutOutput()};
    carriesNowhere(k);
    k.params = {
        param("keep", &Params::keep, ARVESK_TEXT("node", "Keep"),
              ARVESK_TEXT("node", "A number, a share, or every n-th in order."),
              {{"number", ARVESK_TEXT("node", "A number")},
               {"share", ARVESK_TEXT("node", "A share")},
               {"every-nth", ARVESK_TEXT("node", "Every n-th")}}),
        param("number", &Params::number, ARVESK_TEXT("node", "Number"), ARVESK_TEXT("node", "How many stay at most."))
            .hard(0, 1e9)
            .usual(0, 10000, 1)
            .shown("keep", {"number"}),
        param("share", &Params::share, ARVESK_TEXT("node", "Share"),
              ARVESK_TEXT("node",
                          "How many of a hundred stay. At random each point decides by its own rank, so the number is "
                          "near the share, not exactly it."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1)
            .shown("keep", {"share"}),
        param("every", &Params::every, ARVESK_TEXT("node", "Every"), ARVESK_TEXT("node", "2 keeps every other one."))
            .hard(1, 1e6)
            .usual(1, 20, 1)
            .shown("keep", {"every-nth"}),
        param("first", &Params::first, ARVESK_TEXT("node", "Who stays"),
              ARVESK_TEXT("node", "At random, or those with the highest mask value."),
              {{"chance", ARVESK_TEXT("node", "At random")}, {"mask", ARVESK_TEXT("node", "Highest mask")}})
            .shown("keep", {"number", "share"}),
    };
    k.usesSeed = true;
    k.example.params = {{"number", 250.0}};
    reaches<Params>(k, [](const Params& p) {
      return p.keep == Keep::Share && p.first == First::Chance ? Reach::none() : Reach::whole(true);
    });
    k.exemptions.isLocal = false;
    k.amountParam = "number";
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
