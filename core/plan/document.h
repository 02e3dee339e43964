// The plan document: nodes, links, props and settings, as saved. A plain value; edits make a new one or change it
// through undo commands.
#pragma once

#include "core/geometry/file_parts.h"
#include "core/plan/node_kind.h"
#include "core/plan/sub_plan.h"

#include <array>

namespace arvesk {

enum class Quality;

/// A mount point that was set by hand on a prop.
struct MountEntry {
  std::string name;
  Vec3 position{0};  // m, in the prop's own space as placed
  Vec3 turnDeg{0};   // about X, then Y, then Z
  double size = 1;   // what grows there is so many times as large
  bool operator==(const MountEntry&) const = default;
};

/// What a value of a prop's vertices is measured by, in the prop's own space as placed.
enum class ValueBy { Height, HeightShare, Facing, Hollows, Openness, EdgeDistance, PivotDistance };
inline constexpr std::array kValueBys{"height",   "height_share",  "facing",        "hollows",
                                      "openness", "edge_distance", "pivot_distance"};
/// Where it goes: to the vertices under a name of its own, or into their color.
enum class ValueInto { Named, Red, Green, Blue, Alpha, Gray };
inline constexpr std::array kValueIntos{"named", "red", "green", "blue", "alpha", "gray"};

/// A number for each vertex of a prop: 0 where what is measured is `zeroAt`, 1 where it is `oneAt`, even between.
struct ValueEntry {
  std::string name;  // of Named
  ValueInto into = ValueInto::Named;
  ValueBy by = ValueBy::HeightShare;
  double zeroAt = 0;
  double oneAt = 1;
  double reach = 0.1;       // m: radius of hollows, how far openness looks
  double edgeDeg = 30;      // edges are where faces meet at more than this, and the open ones
  Vec3 direction{0, 1, 0};  // that facing is measured from
  bool operator==(const ValueEntry&) const = default;
};

enum class PivotAt { AsMade, BaseCenter, Center, LowestPoint };

struct PropEntry {
  std::string uid;
  std::string name;
  std::string file;               // relative to the plan's folder
  PartBy partBy = PartBy::Whole;  // what of the file it is
  std::string part;               // the name of that part or node, or the piece's number
  double unitScale = 1;           // m per unit of the file
  bool isZUp = false;
  PivotAt pivot = PivotAt::AsMade;
  double commonHeight = 0;    // m; the prop is scaled to this height; 0 leaves it as made
  double size = 1;            // factor after that
  bool isLargeMeant = false;  // taken though it is larger than props are (kUnlikelySize)
  Vec3 turnDeg{0};            // about X, then Y, then Z, about the pivot; for props that were built another way round
  double footprint = 0;       // m; 0 takes it from the geometry
  double base = 0;            // m: of what touches the ground; 0 takes it from the geometry
  double weight = 1;          // where Choose props finds it by name or tag
  std::string tags;           // words separated by spaces; exported
  double creaseDeg = -1;  // normals made anew, faces that meet at less than this share them; below 0 they stay as made
  bool isMassingBox = true;  // else the mesh simplified
  std::string lightFile;     // what stands for it in place of both: a light mesh, relative to the plan's folder
  int massingTriangles = 300;
  bool isMassingShown = false;  // in Site's Dressed view too, because the prop is heavy
  bool isByReference = false;   // exports name its file and leave it untouched, instead of holding its geometry
  std::string deliveredFile;    // that they name in place of its own, relative to the plan's folder
  std::vector<MountEntry> mounts;
  std::vector<ValueEntry> values;
  std::string unknown;
  bool operator==(const PropEntry&) const = default;
};

/// A number of the plan with a name, which parameters can follow.
struct Dial {
  std::string uid;
  std::string name;  // letters, digits and _
  double draft = 1;
  double final = 1;
  std::string unknown;
  Keys keys{};  // in place of both: numbers
  bool operator==(const Dial&) const = default;
};

struct CameraEntry {
  std::string name;
  Vec3 eye{30, 20, 30};
  Vec3 target{0};
  float fieldOfViewDeg = 45;  // vertical
  struct Sun {
    double headingDeg = 40;
    double heightDeg = 38;
    bool operator==(const Sun&) const = default;
  };
  std::optional<Sun> sun{};  // its own, in place of the plan's
  bool operator==(const CameraEntry&) const = default;
};

/// The most there may be in final quality; 0 is no limit.
struct Budget {
  double placements = 0;
  double triangles = 0;
  bool operator==(const Budget&) const = default;
};

/// The frames of a plan that moves.
struct PlanTime {
  int first = 1;
  int last = 120;
  double rate = 24;  // frames per second
  bool operator==(const PlanTime&) const = default;
};

struct PlanSettings {
  std::uint64_t seed = 1;
  double draftShare = 0.25;  // of what nodes that make points place in final
  bool hasWater = false;
  double waterLevel = 0;      // m
  double sunHeadingDeg = 40;  // a compass: 0° north (−Z), 90° east (+X), clockwise from above
  double sunHeightDeg = 38;
  double hazeDistance = 600;  // m at which haze covers about two thirds
  std::vector<CameraEntry> cameras;
  std::optional<PlanTime> time;  // none: nothing moves
  /// "water_level", "sun_heading", "sun_height" or "haze_distance" → formula over dials and time.
  std::map<std::string, std::string> follows;
  std::map<std::string, Budget> budgets;  // "all", or the uids of an output and a prop as "output/prop"
  std::string unknown;
  bool operator==(const PlanSettings&) const = default;
};

/// Where a plan came from. No part of what it is: two plans are equal whatever they were read from.
struct PlanOrigin {
  std::shared_ptr<const std::string> text;  // as it was read; numbers are written again as they stand there
  std::vector<Problem> problems;            // what was wrong and put right on the way in
  bool operator==(const PlanOrigin&) const { return true; }
};

struct Plan {
  std::vector<Node> nodes;
  std::vector<PropEntry> props;
  std::vector<Dial> dials;
  std::vector<PaperItem> paper;
  std::vector<SubPlan> subPlans;   // that its nodes, and those inside of them, are instances of
  std::string tool;                // uid of the sub-plan that this plan is there to show, or empty
  std::vector<FrontValue> fronts;  // of the sub-plan whose nodes these are (inside.h); a document has none
  std::string path;                // what stands before the uids of these nodes then
  PlanSettings settings;
  std::optional<double> frame;  // that it is worked out at, no part of what is saved; none: its first one
  std::string unknown;
  bool isReadOnly = false;  // written by a newer version
  PlanOrigin origin;
  bool operator==(const Plan&) const = default;

  const Node* find(const std::string& uid) const;
  Node* find(const std::string& uid);
  const PropEntry* findProp(const std::string& uid) const;
  const SubPlan* findSubPlan(const std::string& uid) const;
  SubPlan* findSubPlan(const std::string& uid);
  const PaperItem* findPaper(const std::string& uid) const;
  PaperItem* findPaper(const std::string& uid);
};

/// Why a node has no kind.
Problem unknownKind(const Node& node);

/// A uid that no node or prop of the plan has; from the operating system's random numbers, so that plans can be pasted
/// into each other.
std::string newUid();

/// Takes empty places off the ends of inputs, inside of sub-plans too; an input without links is none, as in files.
void tidyPlaces(Plan& plan);

/// Would a link from `from` to `to` close a loop?
bool wouldLoop(const Plan& plan, const std::string& from, const std::string& to);

/// What the output slot carries, or nothing when kind or output is not known.
std::optional<ValueType> outputType(const Plan& plan, const Link& link);

Moment momentOf(const Plan& plan);

/// One line about the node for its card: the kind's sentence, with what dials give in `quality`, and the masks it uses.
std::string sentenceOf(const Plan& plan, const Node& node, Quality quality);

/// Faults of the document itself: unknown kinds, values out of range, links to nowhere, loops.
std::vector<Problem> checkPlan(const Plan& plan);

}  // namespace arvesk
