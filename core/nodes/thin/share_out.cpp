// Share out: each point goes to one of several outputs.
#include "core/base/number_text.h"
#include "core/base/pattern.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/draw_per.h"
#include "core/nodes/registry.h"
#include "core/nodes/rendezvous.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

constexpr std::size_t kMost = 8;
enum class By { Weights, Ranges, Text };
struct Params {
  int count = 2;
  By by = By::Weights;
  DrawPer per = DrawPer::Point;
  float weight1 = 1, weight2 = 1, weight3 = 1, weight4 = 1, weight5 = 1, weight6 = 1, weight7 = 1, weight8 = 1;
  std::string number = "size";
  std::string cuts = "0.5, 1";
  std::string textName = "prop";
  std::string patterns = "boulder*; slab*";
};

constexpr std::array kWeights{&Params::weight1, &Params::weight2, &Params::weight3, &Params::weight4,
                              &Params::weight5, &Params::weight6, &Params::weight7, &Params::weight8};

std::vector<std::string> parts(const std::string& text, char separator) {
  std::vector<std::string> out(1);
  for (const char c : text) {
    if (c == separator)
      out.emplace_back();
    else
      out.back() += c;
  }
  return out;
}

std::optional<std::vector<float>> cutsIn(const std::string& text) {
  std::vector<float> cuts;
  for (const std::string& part : parts(text, ',')) {
    const auto cut = numberIn<float>(part);
    if (!cut) return {};
    cuts.push_back(*cut);
  }
  if (!std::is_sorted(cuts.begin(), cuts.end())) return {};
  return cuts;
}

std::string faultOfCuts(const std::string& text) {
  return cutsIn(text) ? std::string() : "must be rising numbers with commas between, such as 0.5, 1";
}

/// Which output each point goes to.
Result<Array<std::uint8_t>> shares(const EvalContext& ctx, const Points& points, const Params& p) {
  const auto count = static_cast<std::size_t>(p.count);
  Array<std::uint8_t> out(points.count);
  if (p.by == By::Weights) {
    Rendezvous lot(ctx.draw("share"));
    for (std::size_t k = 0; k < count; ++k) lot.add(hashOf(k), p.*kWeights[k]);
    if (lot.chosen(0) < 0) return fail(ProblemCode::BadParameter, "all weights are 0", "Raise one of them");
    parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i)
        out[i] = static_cast<std::uint8_t>(lot.chosen(drawId(points, p.per, i)));
    });
    return out;
  }
  if (p.by == By::Ranges) {
    const auto cuts = cutsIn(p.cuts);
    if (!cuts) return fail(ProblemCode::BadParameter, "Cuts " + faultOfCuts(p.cuts));
    Array<float> value(points.count);
    if (!readNumbers(points, p.number, 0, points.count, value.data()))
      return fail(ProblemCode::WrongInput, fmt::format("the points carry no number \"{}\"", p.number),
                  "Numbers are attributes and x, y, z, height, slope, size, footprint");
    for (std::size_t i = 0; i < points.count; ++i) {
      const auto above = static_cast<std::size_t>(std::upper_bound(cuts->begin(), cuts->end(), value[i]) -
                                                  cuts->begin());
      out[i] = static_cast<std::uint8_t>(std::min(above, count - 1));
    }
    return out;
  }
  std::vector<Patterns> patterns;
  for (const std::string& part : parts(p.patterns, '|')) patterns.emplace_back(part);
  std::set<std::string> texts;
  for (std::size_t i = 0; i < points.count; ++i) texts.insert(readText(points, p.textName, i).value_or(std::string()));
  for (const Patterns& part : patterns) ctx.warnUnmatched(part, {texts.begin(), texts.end()}, "text");
  for (std::size_t i = 0; i < points.count; ++i) {
    const std::string text = readText(points, p.textName, i).value_or(std::string());
    std::size_t k = 0;
    while (k + 1 < count && !(k < patterns.size() && patterns[k].match(text))) ++k;
    out[i] = static_cast<std::uint8_t>(k);
  }
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const auto share = shares(ctx, points, p);
  if (!share) return Failure(share.error());
  if (ctx.task.isCancelled()) return Failure(cancelled());
  std::array<Array<std::uint32_t>, kMost> members;
  for (std::size_t i = 0; i < points.count; ++i) members[(*share)[i]].push_back(static_cast<std::uint32_t>(i));
  Outputs out;
  for (const Array<std::uint32_t>& m : members) out.push_back(std::make_shared<const Points>(gathered(points, m)));
  return out;
}

std::string sentence(const Params& p) {
  constexpr std::array ways{"by weights", "by ranges", "by text"};
  std::string text = fmt::format("Share out · {} {}", p.count, ways[static_cast<std::size_t>(p.by)]);
  if (p.by == By::Weights && p.per != DrawPer::Point)
    text += fmt::format(" per {}", kDrawPerOptions.begin()[static_cast<std::size_t>(p.per)].id);
  return text;
}

}  // namespace

const NodeKind& shareOut() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "share-out";
    k.family = Family::Thin;
    k.label = ARVESK_TEXT("node", "Share out");
    k.help = ARVESK_TEXT(
        "node",
        "Sends each point to exactly one of 2 to 8 outputs: by weights (at random, for the point alone or for all of "
        "its "
        "parent's or patch's points together; a larger weight only draws points to its own output), by ranges of a "
        "number, or by patterns of a text. What fits no pattern goes to the last one.");
    k.glyph = "share-out";
    k.synonyms = {"split", "divide", "partition", "switch", "kinds", "random"};
    k.inputs = {pointsInput()};
    carriesNowhere(k);
    for (std::size_t i = 0; i < kMost; ++i)
      k.outputs.push_back({fmt::format("share-{}", i + 1), ValueType::Points, fmt::format("Share {}", i + 1)});
    k.params = {
        param("count", &Params::count, ARVESK_TEXT("node", "Shares"), ARVESK_TEXT("node", "How many outputs are used."))
            .hard(2, kMost)
            .usual(2, kMost, 1),
        param("by", &Params::by, ARVESK_TEXT("node", "Chosen by"),
              ARVESK_TEXT("node", "How a point's output is found."),
              {{"weights", ARVESK_TEXT("node", "Weights")},
               {"ranges", ARVESK_TEXT("node", "Ranges")},
               {"text", ARVESK_TEXT("node", "Text")}}),
        param("per", &Params::per, ARVESK_TEXT("node", "Drawn per"),
              ARVESK_TEXT("node", "Points of one parent, or of one patch, stay together."), kDrawPerOptions)
            .shown("by", {"weights"}),
        param("number", &Params::number, ARVESK_TEXT("node", "Attribute"),
              ARVESK_TEXT("node", "Name of an attribute, or x, y, z, height, slope, size, footprint."))
            .shown("by", {"ranges"}),
        param("cuts", &Params::cuts, ARVESK_TEXT("node", "Cuts"),
              ARVESK_TEXT("node", "Where one range ends and the next begins: rising numbers with commas between."))
            .checked(&faultOfCuts)
            .shown("by", {"ranges"}),
        param("text_name", &Params::textName, ARVESK_TEXT("node", "Attribute"),
              ARVESK_TEXT("node", "Name of the attribute; prop is the name of the prop."))
            .shown("by", {"text"}),
        param("patterns", &Params::patterns, ARVESK_TEXT("node", "Patterns"),
              ARVESK_TEXT("node", "One for each output, with | between; several in one with semicolons."))
            .shown("by", {"text"}),
    };
    for (std::size_t i = 0; i < kMost; ++i)
      k.params.push_back(param(fmt::format("weight_{}", i + 1).c_str(), kWeights[i],
                               fmt::format("Weight {}", i + 1).c_str(),
                               ARVESK_TEXT("node", "Against the other weights; counts only for outputs that are used."))
                             .hard(0, 1e6)
                             .usual(0, 5, 0.1)
                             .shown("by", {"weights"})
                             .counted("count", static_cast<double>(i + 1)));
    k.outputsParam = "count";
    k.usesSeed = true;
    k.example.params = {{"count", 3.0}};
    k.trial.params = {{"count", 5.0}};
    offersAttributes(k, "number", Carried::Numbers);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
