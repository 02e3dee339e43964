// Attribute mask: what points carry, as a mask.
#include "core/masks/point_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/range_words.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Sort { Number, Text };
struct Params : MaskFinish {
  Sort sort = Sort::Number;
  std::string name = "size";
  std::string textName = "prop";
  std::string patterns = "*";
  float fallback = 0;
  Band band{0, 0.5F, 1, 1.5F};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs&, const Params& p) {
  if (p.sort == Sort::Text) return Outputs{makeTextMask(p.textName, p.patterns, p)};
  if (p.name.empty()) return fail(ProblemCode::BadParameter, "no attribute is named", "Type its name, such as size");
  return Outputs{makeNumberMask(p.name, p.fallback, p.band, p)};
}

std::string sentence(const Params& p) {
  return p.sort == Sort::Text ? fmt::format("{} is {}", p.textName, p.patterns)
                              : fmt::format("{} {}", p.name, rangeWords(p.band, ""));
}

}  // namespace

const NodeKind& attribute() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "attribute";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Attribute");
    k.help = ARVESK_TEXT("node",
                         "A number that points carry, through a band, or a text (or the name of the prop) that matches "
                         "patterns with * and ?. Numbers are attributes and x, y, z, height, slope, size, footprint. "
                         "Bare ground carries nothing and counts as the default, or as no match.");
    k.glyph = "attribute";
    k.synonyms = {"property", "value", "name", "tag", "text"};
    k.inputs = {};
    k.outputs = {maskOutput()};
    k.params = {
        param("sort", &Params::sort, ARVESK_TEXT("node", "Reads"),
              ARVESK_TEXT("node", "A number through a band, or a text by patterns."),
              {{"number", ARVESK_TEXT("node", "A number")}, {"text", ARVESK_TEXT("node", "A text")}}),
        param("name", &Params::name, ARVESK_TEXT("node", "Attribute"),
              ARVESK_TEXT("node", "Name of the attribute, or x, y, z, height, slope, size, footprint."))
            .shown("sort", {"number"}),
        param("band", &Params::band, ARVESK_TEXT("node", "Value"),
              ARVESK_TEXT("node", "Soft range: fade-in start, full from, full to, fade-out end."))
            .hard(-1e6, 1e6)
            .usual(0, 2, 0.01)
            .shown("sort", {"number"}),
        param("fallback", &Params::fallback, ARVESK_TEXT("node", "Default"),
              ARVESK_TEXT("node", "The value of places that do not carry it."))
            .hard(-1e6, 1e6)
            .usual(0, 2, 0.01)
            .shown("sort", {"number"}),
        param("text_name", &Params::textName, ARVESK_TEXT("node", "Attribute"),
              ARVESK_TEXT("node", "Name of the attribute; prop is the name of the prop."))
            .shown("sort", {"text"}),
        param("patterns", &Params::patterns, ARVESK_TEXT("node", "Matches"),
              ARVESK_TEXT("node", "Patterns with * (any text) and ? (one character), separated by semicolons."))
            .shown("sort", {"text"}),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"name", std::string("size")}, {"band", std::vector<double>{0.4, 1.4, 2, 2}}};
    k.example.spacing = 0.7;
    k.example.shows = ExampleShows::PointMask;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
