// Color: gives points a color of their own, from a palette or along a ramp.
#include "core/base/number_text.h"
#include "core/nodes/adjust/effect.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/registry.h"
#include "core/nodes/rendezvous.h"
#include "core/props/coloring.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class From { Palette, Ramp };
struct Params {
  From from = From::Palette;
  std::string palette = "#8f9a6b: 2; #b58a5a: 1";
  std::string number = "height";
  Range range{0, 1};
  std::string ramp = "#5f6b4a; #c9b27a";
  float share = 100;
};

struct Swatch {
  Vec3 color;  // linear light
  float weight;
};

/// "#rrggbb: weight" with semicolons between; the weight may be left out.
Result<std::vector<Swatch>> swatchesIn(const std::string& text) {
  std::vector<Swatch> out;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t end = std::min(text.find(';', at), text.size());
    const std::string_view entry = trimmed(std::string_view(text).substr(at, end - at));
    at = end + 1;
    if (entry.empty()) continue;
    const std::size_t colon = entry.find(':');
    const auto color = colorFromHex(trimmed(entry.substr(0, colon)));
    const auto weight = colon == std::string_view::npos ? std::optional<float>(1.0F)
                                                        : numberIn<float>(entry.substr(colon + 1));
    if (!color || !weight || *weight < 0)
      return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a color", entry),
                  "Write such as \"#8f9a6b: 2; #b58a5a: 1\"");
    out.push_back({*color, *weight});
  }
  if (out.empty()) return fail(ProblemCode::BadParameter, "there is no color", "Write one such as #8f9a6b");
  return out;
}

std::string faultOfSwatches(const std::string& text) {
  const auto swatches = swatchesIn(text);
  return swatches ? std::string() : swatches.error().message;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const auto swatches = swatchesIn(p.from == From::Palette ? p.palette : p.ramp);
  if (!swatches) return Failure(swatches.error());
  Array<float> number(p.from == From::Ramp ? points.count : 0);
  if (p.from == From::Ramp && !readNumbers(points, p.number, 0, points.count, number.data()))
    return fail(ProblemCode::WrongInput, fmt::format("the points carry no number \"{}\"", p.number),
                "They carry: " + listOf(numberNames(points)));
  Rendezvous palette(ctx.draw("palette"));
  for (std::size_t k = 0; k < swatches->size(); ++k) palette.add(hashOf(k), (*swatches)[k].weight);
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.share);
  const auto* before = columnOf<Column<Vec3>>(points.attributes, kOwnColor);
  const auto* beforeShare = columnOf<Column<float>>(points.attributes, kOwnColorShare);
  Array<Vec3> color(points.count);
  Array<float> share(points.count);
  parallelPieces(ctx.task, points.count, 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      Vec3 own;
      if (p.from == From::Palette) {
        own = (*swatches)[static_cast<std::size_t>(std::max(0, palette.chosen(points.id[i])))].color;
      } else {
        const float span = p.range.to - p.range.from;
        const float t = std::clamp(span != 0 ? (number[i] - p.range.from) / span : 0.0F, 0.0F, 1.0F) *
                        static_cast<float>(swatches->size() - 1);
        const auto k = std::min(static_cast<std::size_t>(t), swatches->size() - 1);
        own = glm::mix((*swatches)[k].color, (*swatches)[std::min(k + 1, swatches->size() - 1)].color,
                       t - static_cast<float>(k));
      }
      // Over a color that is there already it lies as a second coat.
      const float s = std::clamp(effect[i], 0.0F, 1.0F);
      const float old = before ? (beforeShare ? (*beforeShare)[i] : 1.0F) : 0.0F;
      share[i] = s + old * (1 - s);
      color[i] = before && share[i] > 0 ? (own * s + (*before)[i] * old * (1 - s)) / share[i] : own;
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = points;
  out.attributes.insert_or_assign(kOwnColor, Column<Vec3>(std::move(color)));
  out.attributes.insert_or_assign(kOwnColorShare, Column<float>(std::move(share)));
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  const auto swatches = swatchesIn(p.from == From::Palette ? p.palette : p.ramp);
  const std::size_t count = swatches ? swatches->size() : 0;
  std::string text = p.from == From::Palette ? fmt::format("Color · one of {}", count)
                                             : fmt::format("Color · {} by {}", count, p.number);
  return p.share < 100 ? fmt::format("{}, {:g} %", text, p.share) : text;
}

}  // namespace

const NodeKind& color() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "color";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Color");
    k.help = ARVESK_TEXT(
        "node",
        "Gives points a color of their own, which comes in place of the prop's by a share and keeps its "
        "light and shade, so that white and gray props can be colored: one of a palette by weight, or "
        "along a ramp by a number that the points carry. A tint (see Vary) works on top of it. Colors go "
        "with the points into every export.");
    k.glyph = "color";
    k.synonyms = {"tint", "paint", "palette", "ramp", "hue"};
    k.inputs = {pointsInput(), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    carriesNowhere(k);
    keepsSizes(k);
    k.params = {
        param("from", &Params::from, ARVESK_TEXT("node", "Colors from"),
              ARVESK_TEXT("node", "A palette by weight, or a ramp by a number."),
              {{"palette", ARVESK_TEXT("node", "Palette")}, {"ramp", ARVESK_TEXT("node", "Ramp")}}),
        param("palette", &Params::palette, ARVESK_TEXT("node", "Palette"),
              ARVESK_TEXT("node", "Colors as #rrggbb with a weight each, such as \"#8f9a6b: 2; #b58a5a: 1\"."))
            .checked(&faultOfSwatches)
            .written(TextForm::Palette)
            .shown("from", {"palette"}),
        param("number", &Params::number, ARVESK_TEXT("node", "Number"),
              ARVESK_TEXT("node", "An attribute, or x, y, z, height, slope, size or footprint."))
            .shown("from", {"ramp"}),
        param("range", &Params::range, ARVESK_TEXT("node", "From, to"),
              ARVESK_TEXT("node", "Where the ramp begins and ends."))
            .hard(-1e9, 1e9)
            .usual(0, 20, 0.1)
            .shown("from", {"ramp"}),
        param("ramp", &Params::ramp, ARVESK_TEXT("node", "Ramp"),
              ARVESK_TEXT("node", "Colors as #rrggbb, evenly along the range."))
            .checked(&faultOfSwatches)
            .written(TextForm::Ramp)
            .shown("from", {"ramp"}),
        param("share", &Params::share, ARVESK_TEXT("node", "Share"),
              ARVESK_TEXT("node", "How much of the prop's own color gives way."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1),
    };
    k.usesSeed = true;
    offersAttributes(k, "number", Carried::Numbers);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
