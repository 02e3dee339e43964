// A node kind: declared once, in one file of nodes/<family>, as data plus one pure function.
#pragma once

#include "core/plan/context.h"
#include "core/plan/params.h"

#include <algorithm>

namespace arvesk {

enum class Family { Ground, Scatter, Mask, Thin, Adjust, Dress, Deliver };
const char* familyLabel(Family family);

struct InputSpec {
  std::string id;
  ValueType type;
  std::string label;
  std::string help;
  bool isOptional = false;
  bool isMany = false;                 // takes any number of links, in order
  std::vector<ValueType> alsoTakes{};  // besides `type`

  bool takes(ValueType other) const {
    return other == type || std::find(alsoTakes.begin(), alsoTakes.end(), other) != alsoTakes.end();
  }
};

struct OutputSpec {
  std::string id;
  ValueType type;
  std::string label;
  std::string sameAs{};  // id of an input: what comes out is of the type that comes in there; `type` while nothing does
};

/// How far a point's result depends on other points or places.
enum class Reach { None, Distance, WholeSet };

/// What a kind cannot keep of the stability contract, by its nature; its help says why.
struct Exemptions {
  bool nestsInAmount = true;  // raising its amount only adds
  bool isLocal = true;
};

/// What arrived at a node's inputs.
class Inputs {
 public:
  struct Link {
    Value value;
    std::uint64_t slotUid = 0;  // permanent uid of the link's place in a many-input
  };
  std::map<std::string, std::vector<Link>> links;

  const Value* first(const std::string& id) const {
    const auto it = links.find(id);
    return it == links.end() || it->second.empty() ? nullptr : &it->second.front().value;
  }
  template <typename T>
  T get(const std::string& id) const {
    const Value* v = first(id);
    const T* typed = v ? std::get_if<T>(v) : nullptr;
    return typed ? *typed : nullptr;
  }
  PointsPtr points(const std::string& id = "points") const { return get<PointsPtr>(id); }
  SurfacePtr surface(const std::string& id = "ground") const { return get<SurfacePtr>(id); }
  MaskPtr mask(const std::string& id) const { return get<MaskPtr>(id); }
  KitPtr kit(const std::string& id = "kit") const { return get<KitPtr>(id); }
  const std::vector<Link>& many(const std::string& id) const {
    static const std::vector<Link> none;
    const auto it = links.find(id);
    return it == links.end() ? none : it->second;
  }
};

struct NodeKind {
  std::string id;  // kebab-case, permanent: it is in saved documents
  int version = 1;
  Family family = Family::Ground;
  std::string label;
  std::string help;                   // one sentence for tooltips, then the exact meaning
  std::string glyph;                  // name of an icon
  std::vector<std::string> synonyms;  // for the find field
  std::vector<InputSpec> inputs;      // the first one is the main input, which a skipped node passes on
  std::vector<OutputSpec> outputs;
  std::vector<ParamSpec> params;
  bool usesSeed = false;        // has "seed" and "lock seed"
  bool readsProps = false;      // looks at the plan's props
  bool showsTriangles = false;  // its card tells how many
  bool isLayer = false;         // a named layer of the plan: shown, counted and exported
  Reach reach = Reach::None;
  Exemptions exemptions;
  std::string amountParam;  // the count-like parameter that nests, or empty
  std::function<Result<Outputs>(const EvalContext&, const Inputs&, const ParamMap&)> evaluate;
  std::function<std::string(const ParamMap&)> sentence;  // what it does now, in few words
  /// Of filters: by what value each of `points` (passed on or left out) was judged, in few words ("slope 41.2°, limit
  /// 34° to 40°").
  std::function<std::vector<std::string>(const EvalContext&, const Inputs&, const ParamMap&, const Points& points)>
      explain;

  const ParamSpec* findParam(const std::string& paramId) const;
  const InputSpec* findInput(const std::string& inputId) const;
  int outputIndex(const std::string& outputId) const;  // −1 when there is none
};

/// The kind's own parameters, filled from the document's values; missing ones keep their default.
template <typename P>
P readParams(const std::vector<ParamSpec>& specs, const ParamMap& values) {
  P out;
  for (const ParamSpec& spec : specs)
    if (const auto it = values.find(spec.id); it != values.end() && faultOf(spec, it->second).empty())
      spec.assign(&out, it->second);
  return out;
}

/// Binds typed functions to a declaration.
template <typename P>
NodeKind define(NodeKind kind, Result<Outputs> (*evaluate)(const EvalContext&, const Inputs&, const P&),
                std::string (*sentence)(const P&)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.evaluate = [specs, evaluate](const EvalContext& ctx, const Inputs& in, const ParamMap& values) {
    return evaluate(ctx, in, readParams<P>(*specs, values));
  };
  kind.sentence = [specs, sentence](const ParamMap& values) { return sentence(readParams<P>(*specs, values)); };
  return kind;
}

/// Binds a filter's explanation, as `define` binds its evaluation.
template <typename P>
void explains(NodeKind& kind,
              std::vector<std::string> (*explain)(const EvalContext&, const Inputs&, const P&, const Points&)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.explain = [specs, explain](const EvalContext& ctx, const Inputs& in, const ParamMap& values,
                                  const Points& points) {
    return explain(ctx, in, readParams<P>(*specs, values), points);
  };
}

/// Is the parameter of any meaning under these values (by its shownBy)? What is hidden hides what depends on it.
bool isShown(const NodeKind& kind, const ParamSpec& spec, const ParamMap& values);

/// Does a skipped node of this kind pass its main input on?
bool passesMain(const NodeKind& kind);

/// All kinds, in family order. The list is written by the build from arvesk_add_node lines.
const std::vector<const NodeKind*>& allNodeKinds();
const NodeKind* findNodeKind(const std::string& id);

// Inputs that many kinds declare alike.
InputSpec pointsInput();
InputSpec groundInput(bool isOptional);
InputSpec whereInput(std::string help);
OutputSpec pointsOutput();
OutputSpec leftOutOutput();

}  // namespace arvesk
