// Break up: closed bodies into convex pieces, as props with a home, and as one surface.
#include "core/nodes/dress/break_cells.h"
#include "core/nodes/ground/merge_surfaces.h"
#include "core/nodes/registry.h"
#include "core/props/coloring.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

using Form = BreakForm;
using Params = BreakParams;

constexpr int kMostPieces = 0xFFFF;

std::vector<PieceOwner> ownersOf(const EvalContext& ctx, const Inputs& in) {
  std::vector<PieceOwner> out;
  if (const SurfacePtr surface = in.surface("body"))
    out.push_back({"surface", "surface", surface->name.empty() ? std::string("body") : surface->name, surface, {}, {}});
  std::size_t missing = 0;
  if (const KitPtr kit = in.kit("body"))
    for (const KitEntry& entry : kit->entries) {
      missing += entry.prop->isMissing ? 1 : 0;
      if (!entry.prop->isMissing)
        out.push_back({entry.prop->uid, entry.prop->uid, entry.prop->name, entry.prop->surface, entry.prop->home,
                       entry.prop->tags});
    }
  if (missing > 0)
    ctx.warn(fmt::format("{} props could not be read and are not broken", missing),
             "See the Kit for what is wrong with them");
  return out;
}

/// What is odd about a body.
void tell(const EvalContext& ctx, const PieceOwner& owner, const Pieces& pieces, bool isSurface) {
  if (pieces.openShells > 0)
    ctx.warn(fmt::format("{} open parts of {} are left out", pieces.openShells, owner.name),
             "Close them: Solid makes a closed body of it", isSurface ? Remedy::CloseBody : Remedy::None);
  constexpr float kThin = 500;
  if (const float across = glm::length(owner.surface->bounds().extent());
      static_cast<float>(pieces.thickness) * kThin < across)
    ctx.warn(fmt::format("{} is a plate of about {:.2g} mm, {:.2g} m across: its cuts are hardly to be seen",
                         owner.name, 1000 * pieces.thickness, across),
             "Give it more thickness, or leave it whole");
}

/// Points at Near that are too far away for cells about them to lie in the body.
void tellFarHits(const EvalContext& ctx, const PieceOwner& owner, const Params& p, const PointsPtr& near) {
  if (!near || near->count == 0 || p.form == Form::Surfaces) return;
  const Home& home = owner.home;
  const Box3 own = owner.surface->bounds();
  Box3 box;
  for (int k = 0; k < 8; ++k)
    box.add(home.position +
            home.turn * (home.size * Vec3((k & 1) != 0 ? own.max.x : own.min.x, (k & 2) != 0 ? own.max.y : own.min.y,
                                          (k & 4) != 0 ? own.max.z : own.min.z)));
  box.min -= Vec3(p.reach);
  box.max += Vec3(p.reach);
  std::size_t far = 0;
  for (std::size_t i = 0; i < near->count; ++i) far += box.holds(near->position[i]) ? 0 : 1;
  if (far > 0)
    ctx.warn(fmt::format("{} of {} points at Near are farther than {:g} m from {}: cells about them are lost", far,
                         near->count, p.reach, owner.name),
             "Move them to where the body is at home, or raise Within");
}

/// m: nothing where nobody could see it, as that would take triangles without end.
float wornBy(const EvalContext& ctx, const PieceOwner& owner, const Params& p, bool isTold) {
  constexpr float kSeen = 4000;
  const float across = glm::length(owner.surface->bounds().extent());
  if (p.wear * kSeen >= across) return p.wear;
  if (p.wear > 0 && isTold)
    ctx.warn(fmt::format("the edges of {} stay sharp: {:.2g} mm cannot be seen on {:.2g} m", owner.name, 1000 * p.wear,
                         across),
             fmt::format("Wear them by {:.2g} mm or more", 1000 * across / kSeen));
  return 0;
}

/// One body in one of its variants.
Result<Pieces> brokenInto(const EvalContext& ctx, const PieceOwner& owner, int variant, const Params& p,
                          const Inputs& in) {
  // Another Break up of the same body makes other pieces: no prop may pass for another one's.
  PieceOwner here = owner;
  here.uid = fmt::format("{:016x}/{}", ctx.nodeUid, owner.uid);
  here.variant = variant;
  const auto cells = breakCells(ctx, here, p, in);
  if (!cells) return Failure(cells.error());
  PieceRule rule;
  rule.shape = shapeOf(p);
  rule.groups = cells->groups;
  rule.pivot = p.pivot;
  rule.smallest = static_cast<double>(p.smallest) * static_cast<double>(p.smallest) * static_cast<double>(p.smallest);
  rule.cutColor = *colorFromHex(p.cutColor);
  rule.cutChannel = p.cutChannel;
  rule.wearChannel = p.wearChannel;
  const auto noise = static_cast<std::uint32_t>(ctx.draw("cuts").bits(static_cast<std::uint64_t>(variant)));
  rule.cuts.size = static_cast<double>(p.roughSize);
  rule.cuts.seed = noise;
  if (p.roughness > 0 || p.triangles > 0) {
    rule.cuts.longest = static_cast<double>(p.longest);
    rule.cuts.roughness = static_cast<double>(p.roughness);
    rule.cuts.triangles = static_cast<std::size_t>(p.triangles);
  }
  rule.cuts.wear = {static_cast<double>(wornBy(ctx, owner, p, false)), static_cast<double>(p.chips) / 100,
                    static_cast<double>(p.roughSize), noise + 7};
  return piecesOf(here, cells->seeds, rule, ctx.task);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const std::vector<PieceOwner> owners = ownersOf(ctx, in);
  if (owners.empty()) return fail(ProblemCode::WrongInput, "there is nothing to break", "The kit has no props");
  if (p.form != Form::Surfaces &&
      std::max(p.count, p.cells) * static_cast<std::int64_t>(owners.size()) * p.variants > kMostPieces)
    return fail(ProblemCode::TooMany,
                fmt::format("{} bodies in {} pieces or cells each, {} times, are more than 65,535", owners.size(),
                            std::max(p.count, p.cells), p.variants),
                "Lower the count, the cells or the variants, or break fewer bodies");
  if (p.form == Form::Surfaces && !in.surface("cuts"))
    return fail(ProblemCode::MissingInput, "no surfaces are given to cut along", "Connect some to Cut along");
  if (p.form != Form::Surfaces && p.cells > 0 && p.cells < p.count)
    ctx.warn(fmt::format("{} pieces cannot be made up of {} cells", p.count, p.cells),
             "Raise the cells to a few for each piece, or set them to 0");
  Kit kit;
  std::vector<Inputs::Link> wholes;
  std::size_t slivers = 0;
  std::size_t ofSeveral = 0;  // bodies of several shells
  double sliverVolume = 0;
  double volume = 0;
  double left = 0;
  std::optional<Problem> first;
  // Bodies and variants side by side; what is told of them comes in their order.
  const auto variants = static_cast<std::size_t>(p.variants);
  std::vector<std::optional<Result<Pieces>>> broken(owners.size() * variants);
  parallelPieces(ctx.task, broken.size(), 1, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k)
      broken[k] = brokenInto(ctx, owners[k / variants], static_cast<int>(k % variants), p, in);
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  for (std::size_t o = 0; o < owners.size(); ++o)
    for (int variant = 0; variant < p.variants; ++variant) {
      const PieceOwner& owner = owners[o];
      auto& pieces = *broken[o * variants + static_cast<std::size_t>(variant)];
      if (variant == 0) {
        wornBy(ctx, owner, p, true);
        tellFarHits(ctx, owner, p, in.points("near"));
      }
      if (!pieces) {
        if (pieces.error().code == ProblemCode::WrongInput && in.surface("body"))
          pieces.error().remedy = Remedy::CloseBody;
        if (!first) first = pieces.error();
        if (owners.size() > 1)
          ctx.warn(fmt::format("{} is not broken: {}", owner.name, pieces.error().message), pieces.error().advice);
        break;
      }
      if (variant == 0) tell(ctx, owner, *pieces, in.surface("body") != nullptr);
      if (variant == 0 && pieces->shells > 1) ++ofSeveral;
      if (p.form == Form::Surfaces && pieces->props.size() + pieces->slivers < 2 && variant == 0)
        ctx.warn(fmt::format("{} is in one piece: no given surface goes through all of it", owner.name),
                 "Let the surfaces stand out of the body on all sides, or make the step smaller");
      for (PropPtr& prop : pieces->props) kit.entries.push_back({std::move(prop), 1});
      if (variant == 0) wholes.push_back({pieces->whole, hashText(owner.uid), {}});
      slivers += pieces->slivers;
      sliverVolume += pieces->sliverVolume;
      volume += pieces->volume;
      left += pieces->pieceVolume;
    }
  if (wholes.empty()) return Failure(*first);
  std::string said = fmt::format("{} pieces", kit.entries.size());
  if (owners.size() > 1) said += fmt::format(" of {} bodies", wholes.size());
  if (ofSeveral > 0) said += fmt::format(", {} of several shells", ofSeveral);
  const auto mirrored = std::count_if(owners.begin(), owners.end(), [](const PieceOwner& owner) {
    return owner.home.size.x * owner.home.size.y * owner.home.size.z < 0;
  });
  if (mirrored > 0) said += fmt::format(", {} mirrored at home", mirrored);
  if (slivers > 0) said += fmt::format(", {} slivers left out ({:.2g} %)", slivers, 100 * sliverVolume / volume);
  if (p.wear > 0) said += fmt::format(", {:.2g} % worn away", 100 * (volume - sliverVolume - left) / volume);
  ctx.say(std::move(said));
  if (kit.entries.empty())
    ctx.warn("every piece is smaller than the smallest one", "Lower the smallest piece, or the count");
  auto merged = mergedSurfaces(ctx, wholes);
  if (!merged) return Failure(merged.error());
  Surface whole = **merged;
  whole.isShown = p.isShown;
  return Outputs{KitPtr(std::make_shared<const Kit>(std::move(kit))),
                 SurfacePtr(std::make_shared<const Surface>(std::move(whole)))};
}

std::string sentence(const Params& p) {
  switch (p.form) {
    case Form::Chunks: return fmt::format("into {} chunks", p.count);
    case Form::Splinters: return fmt::format("into {} splinters", p.count);
    case Form::Plates: return fmt::format("into {} plates", p.count);
    case Form::Surfaces: return "along surfaces";
  }
  return {};
}

ParamSpec channelParam(const char* id, Channel Params::*member, const char* label, const char* help) {
  return param(id, member, label, help,
               {{"none", ARVESK_TEXT("node", "No color")},
                {"red", ARVESK_TEXT("node", "Red")},
                {"green", ARVESK_TEXT("node", "Green")},
                {"blue", ARVESK_TEXT("node", "Blue")},
                {"alpha", ARVESK_TEXT("node", "Alpha")}});
}

std::vector<ParamSpec> declaredParams() {
  return {
      param("count", &Params::count, ARVESK_TEXT("node", "Pieces"),
            ARVESK_TEXT("node",
                        "How many cells each body is cut into. More of them split some pieces; the others stay as they "
                        "are. A body with bays gives more pieces than cells."))
          .hard(1, kMostPieces)
          .usual(2, 300)
          .shown("form", {"chunks", "splinters", "plates"}),
      param("form", &Params::form, ARVESK_TEXT("node", "Form"),
            ARVESK_TEXT("node",
                        "About as long as wide, long along a direction, flat across it, or along the surfaces that "
                        "are connected to Cut along."),
            {{"chunks", ARVESK_TEXT("node", "Chunks")},
             {"splinters", ARVESK_TEXT("node", "Splinters")},
             {"plates", ARVESK_TEXT("node", "Plates")},
             {"surfaces", ARVESK_TEXT("node", "Along surfaces")}}),
      param("along", &Params::along, ARVESK_TEXT("node", "Direction"),
            ARVESK_TEXT("node", "Splinters lie along it, plates across it; of the body's own axes."))
          .hard(-1, 1)
          .usual(-1, 1, 0.05)
          .shown("form", {"splinters", "plates"}),
      param("stretch", &Params::stretch, ARVESK_TEXT("node", "Stretch"),
            ARVESK_TEXT("node", "How many times longer than thick."))
          .hard(1, 100)
          .usual(1, 20, 0.5)
          .shown("form", {"splinters", "plates"}),
      param("sized", &Params::sized, ARVESK_TEXT("node", "Even at size"),
            ARVESK_TEXT("node",
                        "Factors along X, Y and Z by which the body will be sized after it is broken: pieces come out "
                        "even then. 1, 1, 1 breaks it as it is."))
          .hard(0.001, 1000)
          .usual(0.1, 10, 0.1)
          .shown("form", {"chunks", "splinters", "plates"}),
      param("cells", &Params::cells, ARVESK_TEXT("node", "Made up of cells"),
            ARVESK_TEXT("node",
                        "So many small cells in all, which stay together around the middle of each piece: ragged "
                        "pieces with bays. 0: each piece is one cell, with flat sides."))
          .hard(0, kMostPieces)
          .usual(0, 1000)
          .shown("form", {"chunks", "splinters", "plates"}),
      param("step", &Params::step, ARVESK_TEXT("node", "Step"),
            ARVESK_TEXT("node", "Cuts follow the given surfaces by flat pieces about so long."))
          .in(Unit::Meter)
          .hard(0.001, 1e4)
          .usual(0.02, 2, 0.01)
          .shown("form", {"surfaces"}),
      param("variants", &Params::variants, ARVESK_TEXT("node", "Variants"),
            ARVESK_TEXT("node",
                        "In how many ways each body is broken. At home gives each placement one of them, so that "
                        "neighbors differ; without placements the first one stands there."))
          .hard(1, 16)
          .usual(1, 8),
      param("gather", &Params::gather, ARVESK_TEXT("node", "Near the points"),
            ARVESK_TEXT("node", "Share of the cells that lie about the points of Near, where it is hit."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1)
          .shown("form", {"chunks", "splinters", "plates"}),
      param("reach", &Params::reach, ARVESK_TEXT("node", "Within"),
            ARVESK_TEXT("node", "How far from their point these lie at most; denser toward it."))
          .in(Unit::Meter)
          .hard(0.001, 1e4)
          .usual(0.05, 5, 0.05)
          .shown("form", {"chunks", "splinters", "plates"}),
      param("smallest", &Params::smallest, ARVESK_TEXT("node", "Smallest"),
            ARVESK_TEXT("node",
                        "Pieces of less than a cube of this side are left out; the card says how many and how much."))
          .in(Unit::Meter)
          .hard(0, 1e3)
          .usual(0, 0.5, 0.005),
      param(
          "pivot", &Params::pivot, ARVESK_TEXT("node", "Pivot"),
          ARVESK_TEXT("node", "Of each piece: its middle of mass, below that at its lowest height, or the body's own."),
          {{"middle", ARVESK_TEXT("node", "Middle")},
           {"base", ARVESK_TEXT("node", "Base")},
           {"home", ARVESK_TEXT("node", "The body's")}}),
      param("roughness", &Params::roughness, ARVESK_TEXT("node", "Roughness"),
            ARVESK_TEXT("node",
                        "How far the cuts bulge, about, the same on both sides, so that pieces fit; less toward the "
                        "skin. 0 leaves them flat."))
          .in(Unit::Meter)
          .hard(0, 100)
          .usual(0, 0.2, 0.005),
      param("rough_size", &Params::roughSize, ARVESK_TEXT("node", "Bump size"),
            ARVESK_TEXT("node", "Of the largest bumps on the cuts, and from chip to chip along edges."))
          .in(Unit::Meter)
          .hard(0.001, 1e3)
          .usual(0.02, 2, 0.01),
      param("longest", &Params::longest, ARVESK_TEXT("node", "Longest side"),
            ARVESK_TEXT("node", "Of the triangles of rough cuts: shorter ones show smaller bumps, and are more."))
          .in(Unit::Meter)
          .hard(0.001, 1e3)
          .usual(0.01, 0.5, 0.01),
      param("triangles", &Params::triangles, ARVESK_TEXT("node", "Triangles about"),
            ARVESK_TEXT("node",
                        "Of all pieces of a body: its cuts are made finer, the longest sides first, until there are "
                        "about so many, or no side is longer than Longest side. Flat cuts get vertices then too. 0 "
                        "goes by Longest side alone; worn edges add more."))
          .hard(0, 5e6)
          .usual(0, 50000),
      param("cut_color", &Params::cutColor, ARVESK_TEXT("node", "Cut color"),
            ARVESK_TEXT("node", "Of the cuts, as #rrggbb; they have a material of their own, called cut."))
          .checked([](const std::string& text) {
            return colorFromHex(text) ? std::string() : std::string("is not a color such as #ffffff");
          })
          .written(TextForm::Color),
      channelParam(
          "cut_channel", &Params::cutChannel, ARVESK_TEXT("node", "Cut in"),
          ARVESK_TEXT("node", "A channel of the vertex colors that holds cut: 1 on what was inside, 0 on the skin.")),
      param("wear", &Params::wear, ARVESK_TEXT("node", "Worn edges"),
            ARVESK_TEXT("node",
                        "Edges are rounded by a radius up to this; small pieces by less. The skin is made finer along "
                        "them. 0 leaves edges sharp and the skin as it was."))
          .in(Unit::Meter)
          .hard(0, 100)
          .usual(0, 0.1, 0.002),
      param("chips", &Params::chips, ARVESK_TEXT("node", "Chipped"),
            ARVESK_TEXT("node", "Share of the worn edges where twice as much is gone."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1),
      channelParam(
          "wear_channel", &Params::wearChannel, ARVESK_TEXT("node", "Wear in"),
          ARVESK_TEXT("node",
                      "A channel of the vertex colors that holds wear: 1 on worn edges. Where it is the same as that "
                      "of cut, the higher one stands there.")),
      param("shown", &Params::isShown, ARVESK_TEXT("node", "Shown in Site"),
            ARVESK_TEXT("node", "The broken surface, as ground; At home puts its pieces there as props.")),
  };
}

}  // namespace

const NodeKind& breakUp() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "break-up";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "Break up");
    k.help = ARVESK_TEXT(
        "node",
        "Breaks closed bodies, a surface's or a kit's, into pieces that fit each other exactly: a kit of them, each "
        "with its pivot and the place where it belongs, and all of them there as one surface. At home puts the pieces "
        "back together as props; Dress gives them to points as debris. Every vertex carries cut, 1 on what was inside, "
        "and "
        "wear, 1 on worn edges. "
        "Bodies that are open or cross themselves are told: Solid and Surface of volume close them.");
    k.glyph = "break-up";
    k.showsTriangles = true;
    k.synonyms = {"fracture", "shatter",   "pieces", "debris", "rubble",
                  "chunks",   "splinters", "crack",  "cells",  "voronoi"};
    k.inputs = {{"body",
                 ValueType::Surface,
                 ARVESK_TEXT("node", "Body"),
                 ARVESK_TEXT("node", "A closed surface, or a kit: each of its props is broken."),
                 false,
                 false,
                 {ValueType::Kit}},
                {"where", ValueType::Mask, ARVESK_TEXT("node", "Where"),
                 ARVESK_TEXT("node", "More and smaller pieces where it is high."), true, false},
                {"near", ValueType::Points, ARVESK_TEXT("node", "Near"),
                 ARVESK_TEXT("node", "Where it is hit: pieces are smaller there."), true, false},
                {"cuts", ValueType::Surface, ARVESK_TEXT("node", "Cut along"),
                 ARVESK_TEXT("node", "Surfaces that part the body, of the form Along surfaces."), true, false}};
    k.outputs = {{"kit", ValueType::Kit, ARVESK_TEXT("node", "Pieces")},
                 {"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = declaredParams();
    putUnder(k.params, ARVESK_TEXT("node", "Broken faces"),
             {"roughness", "rough_size", "longest", "triangles", "cut_color", "cut_channel"});
    putUnder(k.params, ARVESK_TEXT("node", "Edges"), {"wear", "chips", "wear_channel"});
    k.usesSeed = true;
    k.trial.params = {{"form", std::string("splinters")}, {"roughness", 0.1}, {"longest", 3.0}, {"step", 2.0}};
    k.example.hasBodies = true;
    k.example.params = {{"shown", true}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
