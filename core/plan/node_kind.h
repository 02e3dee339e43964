// A node kind: declared once, in one file of nodes/<family>, as data plus one pure function.
#pragma once

#include "core/plan/context.h"
#include "core/plan/params.h"

#include <algorithm>

namespace arvesk {

enum class Family { Ground, Scatter, Mask, Thin, Adjust, Dress, Deliver, SubPlan };
const char* familyLabel(Family family);

struct InputSpec {
  std::string id;
  ValueType type;
  std::string label;
  std::string help;
  bool isOptional = false;
  bool isMany = false;                 // takes any number of links, in order; a place that lost its link stays empty
  std::vector<ValueType> alsoTakes{};  // besides `type`
  bool isPerPoint = false;  // its points are worked on each by itself, unless the kind's reach says otherwise
  bool needsProps = false;  // points without props are of no use here

  bool takes(ValueType other) const {
    return other == type || std::find(alsoTakes.begin(), alsoTakes.end(), other) != alsoTakes.end();
  }
};

struct OutputSpec {
  std::string id;
  ValueType type;
  std::string label;
  std::string sameAs{};  // id of an input: what comes out is of the type that comes in there; `type` while nothing does
  bool isLeftOut = false;   // what a filter took away
  std::string typeParam{};  // id of a choice among valueTypeName's words that says the type while nothing comes in
};

/// How far a point's result depends on what is elsewhere: other points, other inputs, other places of the ground.
struct Reach {
  enum class Of { Itself, Meters, WholeSet };
  Of of = Of::Itself;
  double meters = 0;           // of Meters
  double footprints = 0;       // and so many times the largest footprint that comes in
  bool isAmongItsOwn = false;  // points of the main input look at each other
  bool isStrict = true;        // else chains of decisions may go on; then meters are what nearly all stay within

  static Reach none() { return {}; }
  static Reach within(double m, double footprints = 0) { return {Of::Meters, m, footprints, false, true}; }
  static Reach among(double m, double footprints, bool isStrict) { return {Of::Meters, m, footprints, true, isStrict}; }
  static Reach whole(bool isAmongItsOwn) { return {Of::WholeSet, 0, 0, isAmongItsOwn, true}; }
};

/// How far a kind may carry a point from where it came in, m; of kinds that make points about others, how far from
/// these.
struct Carries {
  double across = 0;  // along x and z
  double up = 0;      // along y
};

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
    MemoryCache::Key key{};     // of all that the value depends on
    bool isEmpty() const { return std::holds_alternative<std::monostate>(value); }
  };
  std::map<std::string, std::vector<Link>> links;

  /// What comes in first there; places that are empty do not count.
  const Value* first(const std::string& id) const {
    const auto it = links.find(id);
    if (it == links.end()) return nullptr;
    for (const Link& link : it->second)
      if (!link.isEmpty()) return &link.value;
    return nullptr;
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
  VolumePtr volume(const std::string& id = "volume") const { return get<VolumePtr>(id); }
  KitPtr kit(const std::string& id = "kit") const { return get<KitPtr>(id); }
  /// The room of all points that come in there, at most.
  Most mostAt(const std::string& id) const {
    Most out{0, 0};
    for (const Link& link : many(id))
      if (const auto* points = std::get_if<PointsPtr>(&link.value); points && *points) out = out.with((*points)->most);
    return out;
  }
  /// All places of a many-input in order, empty ones too: skipping or unlinking one moves none of the others.
  const std::vector<Link>& many(const std::string& id) const {
    static const std::vector<Link> none;
    const auto it = links.find(id);
    return it == links.end() ? none : it->second;
  }
};

struct PropEntry;

/// What the picture of a kind's manual page shows of the points that come out.
enum class ExampleShows { Usual, Order, Number, PointMask, OnProps };

/// How a kind is shown on its manual page; the others show it with their defaults.
struct KindExample {
  ParamMap params;
  double spacing = 0.55;    // m, of the points at its inputs
  double patchSpacing = 6;  // m, of the points that it refers to
  ExampleShows shows = ExampleShows::Usual;
  int groundDivisions = 120;
  std::vector<std::string> joins;  // optional inputs that get something
  bool hasBodies = false;          // closed surfaces come in, in place of the ground
  bool isHanging = false;          // its points hang above the ground
  bool isSetDown = false;          // what comes out is set down before it is shown
};

/// How tests over all kinds make a kind do something, where its defaults do not or need a file of the demo.
struct KindTrial {
  ParamMap params;
  std::vector<std::string> leaves;  // inputs that get nothing
};

/// Something that a text may name, and how many carry the name.
struct NameCount {
  std::string name;
  std::size_t count = 0;
};

/// The rim of an area as a closed line; `up` is where a rim that is laid on the ground comes down from.
struct AreaRim {
  std::vector<Vec3> line;
  Vec3 up = kUp;
};

/// A node as a document holds it that was written for an earlier version of its kind. Values are what the file says:
/// switches, numbers, texts and lists of numbers.
struct SavedNode {
  int version = 1;
  ParamMap params;
  std::map<std::string, std::string> follows;  // parameter → formula
};

struct NodeKind {
  NodeKind();
  NodeKind(const NodeKind&);
  NodeKind(NodeKind&&) noexcept;
  NodeKind& operator=(const NodeKind&);
  NodeKind& operator=(NodeKind&&) noexcept;
  ~NodeKind();

  std::string id;   // kebab-case, permanent: it is in saved documents
  int version = 1;  // goes up when the same document would give something else, or has other parameters
  /// Makes of a node of any earlier version what gives the same now. Asked when a document is opened.
  std::function<void(SavedNode&)> upgrade;
  Family family = Family::Ground;
  std::string label;
  std::string help;                   // one sentence for tooltips, then the exact meaning
  std::string glyph;                  // name of an icon
  std::vector<std::string> synonyms;  // for the find field
  std::vector<InputSpec> inputs;      // the first one is the main input, which a skipped node passes on
  std::vector<OutputSpec> outputs;
  std::vector<ParamSpec> params;
  bool usesSeed = false;  // has "seed" and "lock seed"
  /// Does it give something else at another frame, with the same inputs and parameters? Empty: it does not.
  std::function<bool(const ParamMap&)> usesTime;
  /// Does what it gives depend on what came to it at the frames before too (history.h)? Empty: it does not.
  std::function<bool(const ParamMap&)> remembers;
  /// Of kinds that look at the plan's props: does one of these settings concern it? Empty: it looks at none.
  std::function<bool(const ParamMap&, const PropEntry&)> usesProp;
  bool isBridge = false;        // put in by itself where its output is wanted and what its main input takes is given
  bool showsTriangles = false;  // its card tells how many
  bool isLayer = false;         // a named layer of the plan: shown, counted and exported
  std::string shownParam;       // of a layer: the toggle that shows it in Site
  std::string exportedParam;    // of a layer: the toggle that lets it be exported
  /// Input whose surface the points' ground record is made from, or empty. A scattering kind that must have it sees it
  /// at rest where it bends (riding.h).
  std::string groundFrom;
  KindExample example;
  KindTrial trial;
  std::function<ParamMap(const Points& in)> settingsFor;  // of kinds that name points: some for these; manual and tests
  std::function<Reach(const ParamMap&)> reachOf;          // empty: of nothing but the point itself
  /// How far its points may lie from those that it got. Empty, or nothing under these values: that is not known, so
  /// that all that comes in is needed for any part of what comes out (parts.h).
  std::function<std::optional<Carries>(const ParamMap&)> carriesOf;
  /// Of kinds that make points of surfaces or volumes: does it make those of a part alone (EvalContext::part)? Empty:
  /// no
  std::function<bool(const ParamMap&)> makesParts;
  /// Of kinds whose reach is not strict and that find out themselves where what they decide hangs on what is not known
  /// (EvalContext::known, askWider): how much around a part they begin with, m. Empty, or nothing: all is needed.
  std::function<std::optional<double>(const ParamMap&)> beginsWith;
  /// The room of the points that it gives, at most, by that of those that come in (Points::most): of all of them,
  /// whatever part is worked out. Empty, or nothing under these values: only making all of them tells. Filters leave it
  /// as it is.
  std::function<std::optional<Most>(const ParamMap&, const Inputs&)> mostOf;
  std::optional<Most> most(const ParamMap& values, const Inputs& in) const;
  /// Where what it gives differs between two values of its parameters: boxes, m. Of what comes in, surfaces, volumes
  /// and kits are there, places of points and masks are empty. Empty, or nothing: that may be anywhere.
  std::function<std::optional<std::vector<Box3>>(const EvalContext&, const Inputs&, const ParamMap& before,
                                                 const ParamMap& now)>
      differsAt;
  Exemptions exemptions;
  Reach reach(const ParamMap& values) const { return reachOf ? reachOf(values) : Reach::none(); }
  std::function<bool(const ParamMap&)> wantsAll;  // does it need all points that come in, in a draft too? Empty: no
  /// Are its points not to be thinned before it has seen them?
  bool takesAll(const ParamMap& values) const { return reach(values).isAmongItsOwn || (wantsAll && wantsAll(values)); }
  std::string amountParam;   // the count-like parameter that nests, or empty
  std::string outputsParam;  // the number that says how many of the outputs are used, or empty: all
  std::size_t usedOutputs(const ParamMap& values) const;
  std::function<Result<Outputs>(const EvalContext&, const Inputs&, const ParamMap&)> evaluate;
  std::function<std::string(const ParamMap&)> sentence;  // what it does now, in few words
  /// Of filters: by what value each of `points` (passed on or left out) was judged, in few words ("slope 41.2°, limit
  /// 34° to 40°").
  std::function<std::vector<std::string>(const EvalContext&, const Inputs&, const ParamMap&, const Points& points)>
      explain;
  /// Of kinds that make points in space: how they see a place, in few words; empty where it is none of theirs within
  /// `radius` m.
  std::function<std::string(const EvalContext&, const Inputs&, const ParamMap&, const Vec3& place, float radius)>
      explainPlace;
  /// Of kinds that see areas, such as patches and clumps: the rim of each, a closed line in m, of `most` at most.
  std::function<std::vector<AreaRim>(const EvalContext&, const Inputs&, const ParamMap&, std::size_t most)> areas;
  /// What a text parameter may name, of what is connected or lies in its file. Empty where there is nothing to offer.
  std::function<std::vector<NameCount>(const std::string& param, const EvalContext&, const Inputs&, const ParamMap&)>
      names;
  /// Of masks that measure from points: a band made for the props that these have; none where they have no props.
  std::function<std::optional<Band>(const Inputs&, const ParamMap&)> bandForProps;
  bool showsFootprints = false;                           // of the points that it gives: their room matters to it
  std::function<bool(const ParamMap&)> judgesFootprints;  // does it decide by them? Empty: it does not

  const ParamSpec* findParam(const std::string& paramId) const;
  const InputSpec* findInput(const std::string& inputId) const;
  int outputIndex(const std::string& outputId) const;  // −1 when there is none
  int leftOutIndex() const;                            // −1 when nothing is taken away
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

/// Binds the function that says how far a kind looks. Call it when all parameters are declared.
template <typename P>
void reaches(NodeKind& kind, Reach (*reach)(const P&)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.reachOf = [specs, reach](const ParamMap& values) { return reach(readParams<P>(*specs, values)); };
}

/// Binds the function that says how far a kind carries points; nothing: as far as it likes.
template <typename P>
void carries(NodeKind& kind, std::optional<Carries> (*carries)(const P&)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.carriesOf = [specs, carries](const ParamMap& values) { return carries(readParams<P>(*specs, values)); };
}
/// Points leave the kind where they came in.
void carriesNowhere(NodeKind& kind);

/// Binds the function that says how much room the points have that the kind gives; `came` is of its main input.
template <typename P>
void hasAtMost(NodeKind& kind, std::optional<Most> (*most)(const P&, const Most& came, const Inputs&)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.mostOf = [specs, most, main = kind.inputs.empty() ? std::string() : kind.inputs.front().id](
                    const ParamMap& values, const Inputs& in) {
    return most(readParams<P>(*specs, values), in.mostAt(main), in);
  };
}
template <typename P>
void differs(NodeKind& kind, std::optional<std::vector<Box3>> (*where)(const EvalContext&, const Inputs&,
                                                                       const P& before, const P& now)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.differsAt = [specs, where](const EvalContext& ctx, const Inputs& in, const ParamMap& before,
                                  const ParamMap& now) {
    return where(ctx, in, readParams<P>(*specs, before), readParams<P>(*specs, now));
  };
}
/// Points leave the kind with the sizes and footprints that they came with.
void keepsSizes(NodeKind& kind);

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

/// Binds what a kind says of a place.
template <typename P>
void explainsPlace(NodeKind& kind, std::string (*explain)(const EvalContext&, const Inputs&, const P&,
                                                          const Vec3& place, float radius)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.explainPlace = [specs, explain](const EvalContext& ctx, const Inputs& in, const ParamMap& values,
                                       const Vec3& place, float radius) {
    return explain(ctx, in, readParams<P>(*specs, values), place, radius);
  };
}

/// Binds what areas a kind sees.
template <typename P>
void showsAreas(NodeKind& kind,
                std::vector<AreaRim> (*areas)(const EvalContext&, const Inputs&, const P&, std::size_t most)) {
  const auto specs = std::make_shared<const std::vector<ParamSpec>>(kind.params);
  kind.areas = [specs, areas](const EvalContext& ctx, const Inputs& in, const ParamMap& values, std::size_t most) {
    return areas(ctx, in, readParams<P>(*specs, values), most);
  };
}

/// Is the parameter of any meaning under these values (by its shownBy)? What is hidden hides what depends on it.
bool isShown(const NodeKind& kind, const ParamSpec& spec, const ParamMap& values);

/// Does a skipped node of this kind pass its main input on?
bool passesMain(const NodeKind& kind);

/// The kind that makes what the input wants of a value of another type; null when there is none.
const NodeKind* bridgeTo(const InputSpec& input, ValueType from);

/// All kinds, in family order. The list is written by the build from arvesk_add_node lines.
const std::vector<const NodeKind*>& allNodeKinds();
const NodeKind* findNodeKind(const std::string& id);

// Inputs that many kinds declare alike.
InputSpec pointsInput();
InputSpec pointsWithPropsInput();
InputSpec groundInput(bool isOptional);
InputSpec whereInput(std::string help);
InputSpec volumeInput(std::string help, bool isOptional = false);
OutputSpec pointsOutput();
OutputSpec volumeOutput();
OutputSpec leftOutOutput();

}  // namespace arvesk
