// Comes in: an input of a sub-plan, seen from inside.
#include "core/nodes/registry.h"
#include "core/plan/sub_plan.h"

namespace arvesk::nodes {
namespace {

enum class Type { Points, Surface, Volume, Mask, Kit };
struct Params {
  Type type = Type::Points;
  bool isNeeded = true;
  std::string words;
  bool isMany = false;
  std::string help;
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  if (const Value* value = in.first(kWayInFallback)) return Outputs{*value};
  if (!p.isNeeded) return Outputs{Value{}};
  return fail(ProblemCode::MissingInput, p.words.empty() ? std::string("nothing comes in") : p.words,
              "Connect something to the sub-plan, or give it a fallback inside");
}

std::string sentence(const Params& p) { return p.isNeeded ? "Comes in · needed" : "Comes in · may be missing"; }

}  // namespace

const NodeKind& wayIn() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = kWayIn;
    k.family = Family::SubPlan;
    k.label = ARVESK_TEXT("node", "Comes in");
    k.help = ARVESK_TEXT("node",
                         "An input of a sub-plan: what is connected to the sub-plan comes in here. Its title is the "
                         "name of the input. What is connected to Fallback counts where nothing comes in.");
    k.glyph = "way-in";
    k.synonyms = {"input", "entry", "interface"};
    k.inputs = {{kWayInFallback,
                 ValueType::Points,
                 ARVESK_TEXT("node", "Fallback"),
                 ARVESK_TEXT("node", "Counts where nothing is connected to the sub-plan."),
                 true,
                 false,
                 {ValueType::Surface, ValueType::Volume, ValueType::Mask, ValueType::Kit},
                 true}};
    k.outputs = {{kWayValue, ValueType::Points, ARVESK_TEXT("node", "What comes in"), kWayInFallback, false, "type"}};
    k.params = {
        param("type", &Params::type, ARVESK_TEXT("node", "What"), ARVESK_TEXT("node", "What can be connected."),
              {{"points", ARVESK_TEXT("node", "Points")},
               {"surface", ARVESK_TEXT("node", "Surface")},
               {"volume", ARVESK_TEXT("node", "Volume")},
               {"mask", ARVESK_TEXT("node", "Mask")},
               {"kit", ARVESK_TEXT("node", "Kit")}}),
        param("needed", &Params::isNeeded, ARVESK_TEXT("node", "Needed"),
              ARVESK_TEXT("node", "Whether something must be connected, unless there is a fallback.")),
        param("words", &Params::words, ARVESK_TEXT("node", "Message"),
              ARVESK_TEXT("node", "What users of the sub-plan read where it is missing."))
            .shown("needed", {"on"}),
        param("many", &Params::isMany, ARVESK_TEXT("node", "Several"),
              ARVESK_TEXT("node", "Any number of things can be connected, each with a place of its own.")),
        param("help", &Params::help, ARVESK_TEXT("node", "Help"),
              ARVESK_TEXT("node", "What users of the sub-plan read of this input.")),
    };
    k.example.joins = {kWayInFallback};
    k.example.spacing = 2.2;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
