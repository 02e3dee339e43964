// Write attribute: gives points a number or a text.
#include "core/base/number_text.h"
#include "core/nodes/attribute_name.h"
#include "core/nodes/draw_per.h"
#include "core/nodes/registry.h"
#include "core/nodes/rendezvous.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Write { Number, Choice, Text };
struct Params {
  std::string name = "kind";
  Write write = Write::Number;
  Range range{0, 1};
  DrawPer per = DrawPer::Point;
  std::string choices = "first 2, second";
  std::string text = "marked";
};

struct WeightedText {
  std::string text;
  float weight;
};

/// "kelp 3, moss 0.5, bare": texts with a weight each, 1 where none is given.
std::optional<std::vector<WeightedText>> choicesIn(const std::string& all) {
  std::vector<WeightedText> out;
  std::size_t start = 0;
  while (start <= all.size()) {
    const std::size_t comma = std::min(all.find(',', start), all.size());
    const std::string_view part = trimmed(std::string_view(all).substr(start, comma - start));
    start = comma + 1;
    if (part.empty()) return {};
    const std::size_t space = part.rfind(' ');
    const auto weight = space == std::string_view::npos ? std::nullopt : numberIn<float>(part.substr(space));
    if (weight && *weight < 0) return {};
    out.push_back({std::string(weight ? trimmed(part.substr(0, space)) : part), weight.value_or(1.0F)});
  }
  return out;
}

std::string faultOfChoices(const std::string& text) {
  return choicesIn(text) ? std::string()
                         : "must be texts with commas between, each with a weight if wished, such as moss 3, bare";
}

TextColumn chosen(const EvalContext& ctx, const Points& points, const Params& p,
                  const std::vector<WeightedText>& choices) {
  auto names = std::make_shared<std::vector<std::string>>();
  Rendezvous lot(ctx.draw("choice"));
  for (const WeightedText& c : choices) {
    // The same text once more is another lot.
    lot.add(hashOf(hashText(c.text), static_cast<std::uint64_t>(std::count(names->begin(), names->end(), c.text))),
            c.weight);
    names->push_back(c.text);
  }
  Array<std::uint32_t> index(points.count);
  parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i)
      index[i] = static_cast<std::uint32_t>(
          std::max(0, lot.chosen(drawId(points, p.per, i))));  // all weights 0: the first
  });
  return {std::move(names), Column<std::uint32_t>(std::move(index))};
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  Points out = *in.points();
  if (p.write == Write::Number) {
    Array<float> value(out.count);
    if (const MaskPtr mask = in.mask("mask")) {
      value = maskValues(ctx.task, *mask, out);
      for (float& v : value) v = p.range.from + (p.range.to - p.range.from) * v;
    } else {
      const Draw draw = ctx.draw("number");
      for (std::size_t i = 0; i < out.count; ++i)
        value[i] = draw.between(drawId(out, p.per, i), p.range.from, p.range.to);
    }
    out.attributes.insert_or_assign(p.name, Column<float>(std::move(value)));
  } else if (p.write == Write::Choice) {
    const auto choices = choicesIn(p.choices);
    if (!choices) return fail(ProblemCode::BadParameter, "Choices " + faultOfChoices(p.choices));
    out.attributes.insert_or_assign(p.name, chosen(ctx, out, p, *choices));
  } else {
    out.attributes.insert_or_assign(
        p.name, TextColumn{std::make_shared<const std::vector<std::string>>(std::vector<std::string>{p.text}),
                           Column<std::uint32_t>(0)});
  }
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  if (p.write == Write::Number) return fmt::format("{} = {:g} to {:g}", p.name, p.range.from, p.range.to);
  return fmt::format("{} = {}", p.name, p.write == Write::Choice ? p.choices : p.text);
}

}  // namespace

const NodeKind& writeAttribute() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "write-attribute";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Write attribute");
    k.help = ARVESK_TEXT(
        "node",
        "Gives points a value by name, which masks, Share out, Order, Ledger and export can use: a "
        "number (by a mask, or at random), a text chosen by weights, or one text for all. Draws are made "
        "per point, or once for a parent or patch.");
    k.glyph = "attribute";
    k.synonyms = {"set", "property", "tag", "value", "label", "kind"};
    k.inputs = {pointsInput(),
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "Takes the number from the first to the second value."), true, false}};
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    keepsSizes(k);
    k.params = {
        param("name", &Params::name, ARVESK_TEXT("node", "Name"), ARVESK_TEXT("node", "How the attribute is called."))
            .checked(&faultOfAttributeName),
        param("write", &Params::write, ARVESK_TEXT("node", "Write"),
              ARVESK_TEXT("node", "A number, one of several texts, or a text."),
              {{"number", ARVESK_TEXT("node", "A number")},
               {"choice", ARVESK_TEXT("node", "One of several")},
               {"text", ARVESK_TEXT("node", "A text")}}),
        param(
            "range", &Params::range, ARVESK_TEXT("node", "From, to"),
            ARVESK_TEXT("node", "The number where the mask is 0, and where it is 1; without a mask at random between."))
            .hard(-1e9, 1e9)
            .usual(0, 1, 0.01)
            .shown("write", {"number"}),
        param("choices", &Params::choices, ARVESK_TEXT("node", "Choices"),
              ARVESK_TEXT("node", "Texts with commas between; a number behind one is its weight."))
            .checked(&faultOfChoices)
            .shown("write", {"choice"}),
        param("text", &Params::text, ARVESK_TEXT("node", "Text"), ARVESK_TEXT("node", "The text that all get."))
            .shown("write", {"text"}),
        param("per", &Params::per, ARVESK_TEXT("node", "Drawn per"), ARVESK_TEXT("node", "What shares one draw."),
              kDrawPerOptions)
            .shown("write", {"number", "choice"}),
    };
    k.usesSeed = true;
    k.example.spacing = 0.7;
    k.example.shows = ExampleShows::Number;
    k.trial.params = {{"write", std::string("choice")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
