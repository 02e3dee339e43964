// Break up: closed bodies into convex pieces, as props with a home, and as one surface.
#include "core/nodes/ground/merge_surfaces.h"
#include "core/nodes/registry.h"
#include "core/props/coloring.h"
#include "core/props/pieces.h"
#include "core/spatial/body.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Form { Chunks, Splinters, Plates };
struct Params {
  int count = 30;
  Form form = Form::Chunks;
  Vec3 along{0, 1, 0};
  float stretch = 5;
  float gather = 60;  // %
  float reach = 0.3F;
  float smallest = 0.01F;
  PiecePivot pivot = PiecePivot::Middle;
  float roughness = 0;
  float roughSize = 0.3F;
  float longest = 0.1F;
  std::string cutColor = "#9a9184";
  bool isShown = false;
};

constexpr int kMostPieces = 0xFFFF;

std::vector<PieceOwner> ownersOf(const EvalContext& ctx, const Inputs& in) {
  std::vector<PieceOwner> out;
  if (const SurfacePtr surface = in.surface("body"))
    out.push_back({"surface", surface->name.empty() ? std::string("body") : surface->name, surface, {}, {}});
  std::size_t missing = 0;
  if (const KitPtr kit = in.kit("body"))
    for (const KitEntry& entry : kit->entries) {
      missing += entry.prop->isMissing ? 1 : 0;
      if (!entry.prop->isMissing)
        out.push_back({entry.prop->uid, entry.prop->name, entry.prop->surface, entry.prop->home, entry.prop->tags});
    }
  if (missing > 0)
    ctx.warn(fmt::format("{} props could not be read and are not broken", missing),
             "See the Kit for what is wrong with them");
  return out;
}

/// Each cell has its own draw, so that more of them leave the others where they are. They lie inside, where the mask
/// lets them, or near the given points. m, where the owner's vertices are.
Result<std::vector<DVec3>> seedsOf(const EvalContext& ctx, const PieceOwner& owner, const Params& p, const Inputs& in) {
  constexpr std::uint64_t kTries = 64;  // of thin bodies most of the box is outside; then any place is as good
  const auto body = Body::of({owner.surface}, ctx.task);
  if (!body) return Failure(body.error());
  const Draw draw = ctx.draw("cells");
  const std::uint64_t own = hashText(owner.uid);
  const auto unit = [&](std::uint64_t k, std::uint64_t attempt, std::uint64_t part) {
    return draw.unit(hashOf(own, k, attempt, part));
  };
  const Box3& box = (*body)->bounds();
  const PointsPtr near = in.points("near");
  const MaskPtr where = in.mask("where");
  std::vector<DVec3> out(static_cast<std::size_t>(p.count));
  std::vector<std::uint64_t> open;  // cells without a place
  for (std::uint64_t k = 0; k < out.size(); ++k) {
    if (!near || near->count == 0 || unit(k, 0, 9) * 100 >= p.gather) {
      open.push_back(k);
      continue;
    }
    const auto chosen = std::min(near->count - 1,
                                 static_cast<std::size_t>(unit(k, 0, 8) * static_cast<float>(near->count)));
    const float up = 2 * unit(k, 0, 0) - 1;
    const float turn = 6.2831853F * unit(k, 0, 1);
    const float across = std::sqrt(std::max(0.0F, 1 - up * up));
    // Denser toward the middle: distances are even.
    const Vec3 at = near->position[chosen] +
                    p.reach * unit(k, 0, 2) * Vec3(across * std::cos(turn), up, across * std::sin(turn));
    // The points lie where the owner is at home.
    out[k] = DVec3(glm::conjugate(owner.home.turn) * (at - owner.home.position) / owner.home.size);
  }
  for (std::uint64_t attempt = 0; attempt < kTries && !open.empty(); ++attempt) {
    endIfStopped();
    Points places;
    Array<Vec3> position;
    Array<std::uint64_t> id;
    std::vector<std::uint8_t> isIn;
    for (const std::uint64_t k : open) {
      const Vec3 at = box.min + box.extent() * Vec3(unit(k, attempt, 0), unit(k, attempt, 1), unit(k, attempt, 2));
      isIn.push_back((*body)->isInside(at) ? 1 : 0);
      // Until one is inside, and then until the mask takes it, this is the best there is.
      if (isIn.back() != 0 || attempt == 0) out[k] = DVec3(at);
      position.push_back(owner.home.position + owner.home.turn * (owner.home.size * at));
      id.push_back(hashOf(own, k, attempt));
    }
    places.count = open.size();
    places.position = std::move(position);
    places.id = std::move(id);
    const Array<float> chance = where ? maskValues(ctx.task, *where, places) : Array<float>(open.size(), 1.0F);
    std::vector<std::uint64_t> still;
    for (std::size_t i = 0; i < open.size(); ++i)
      if (isIn[i] == 0 || unit(open[i], attempt, 3) >= chance[i]) still.push_back(open[i]);
    open = std::move(still);
  }
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const std::vector<PieceOwner> owners = ownersOf(ctx, in);
  if (owners.empty()) return fail(ProblemCode::WrongInput, "there is nothing to break", "The kit has no props");
  if (p.count * static_cast<std::int64_t>(owners.size()) > kMostPieces)
    return fail(ProblemCode::TooMany,
                fmt::format("{} bodies in {} pieces each are more than 65,535", owners.size(), p.count),
                "Lower the count, or break fewer bodies");
  PieceRule rule;
  if (p.form != Form::Chunks) {
    rule.shape.along = DVec3(directionOr(p.along, kUp));
    rule.shape.factor = static_cast<double>(p.form == Form::Splinters ? p.stretch : 1 / p.stretch);
  }
  rule.pivot = p.pivot;
  rule.smallest = static_cast<double>(p.smallest) * static_cast<double>(p.smallest) * static_cast<double>(p.smallest);
  rule.cutColor = *colorFromHex(p.cutColor);
  if (p.roughness > 0)
    rule.cuts = {static_cast<double>(p.longest), static_cast<double>(p.roughness), static_cast<double>(p.roughSize),
                 static_cast<std::uint32_t>(ctx.draw("cuts").bits(0))};
  Kit kit;
  std::vector<Inputs::Link> wholes;
  std::size_t slivers = 0;
  double sliverVolume = 0;
  double volume = 0;
  std::optional<Problem> first;
  for (const PieceOwner& owner : owners) {
    const auto seeds = seedsOf(ctx, owner, p, in);
    if (!seeds) return Failure(seeds.error());
    // Another Break up of the same body makes other pieces: no prop may pass for another one's.
    PieceOwner here = owner;
    here.uid = fmt::format("{:016x}/{}", ctx.nodeUid, owner.uid);
    auto pieces = piecesOf(here, *seeds, rule, ctx.task);
    if (!pieces) {
      if (!first) first = pieces.error();
      if (owners.size() > 1)
        ctx.warn(fmt::format("{} is not broken: {}", owner.name, pieces.error().message), pieces.error().advice);
      continue;
    }
    if (pieces->openShells > 0)
      ctx.warn(fmt::format("{} open parts of {} are left out", pieces->openShells, owner.name),
               "Close them: Solid makes a closed body of it");
    for (PropPtr& prop : pieces->props) kit.entries.push_back({std::move(prop), 1});
    wholes.push_back({pieces->whole, hashText(owner.uid), {}});
    slivers += pieces->slivers;
    sliverVolume += pieces->sliverVolume;
    volume += pieces->volume;
  }
  if (wholes.empty()) return Failure(*first);
  ctx.say(slivers == 0 ? fmt::format("{} pieces", kit.entries.size())
                       : fmt::format("{} pieces, {} slivers left out ({:.2g} %)", kit.entries.size(), slivers,
                                     100 * sliverVolume / volume));
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
  }
  return {};
}

std::vector<ParamSpec> declaredParams() {
  return {
      param("count", &Params::count, ARVESK_TEXT("node", "Pieces"),
            ARVESK_TEXT("node",
                        "How many cells each body is cut into. More of them split some pieces; the others stay as they "
                        "are. A body with bays gives more pieces than cells."))
          .hard(1, kMostPieces)
          .usual(2, 300),
      param("form", &Params::form, ARVESK_TEXT("node", "Form"),
            ARVESK_TEXT("node", "About as long as wide, long along a direction, or flat across it."),
            {{"chunks", ARVESK_TEXT("node", "Chunks")},
             {"splinters", ARVESK_TEXT("node", "Splinters")},
             {"plates", ARVESK_TEXT("node", "Plates")}}),
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
      param("gather", &Params::gather, ARVESK_TEXT("node", "Near the points"),
            ARVESK_TEXT("node", "Share of the cells that lie about the points of Near, where it is hit."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1),
      param("reach", &Params::reach, ARVESK_TEXT("node", "Within"),
            ARVESK_TEXT("node", "How far from their point these lie at most; denser toward it."))
          .in(Unit::Meter)
          .hard(0.001, 1e4)
          .usual(0.05, 5, 0.05),
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
            ARVESK_TEXT("node", "Of the largest bumps on the cuts."))
          .in(Unit::Meter)
          .hard(0.001, 1e3)
          .usual(0.02, 2, 0.01),
      param("longest", &Params::longest, ARVESK_TEXT("node", "Longest side"),
            ARVESK_TEXT("node", "Of the triangles of rough cuts: shorter ones show smaller bumps, and are more."))
          .in(Unit::Meter)
          .hard(0.001, 1e3)
          .usual(0.01, 0.5, 0.01),
      param("cut_color", &Params::cutColor, ARVESK_TEXT("node", "Cut color"),
            ARVESK_TEXT("node", "Of the cuts, as #rrggbb; they have a material of their own, called cut."))
          .checked([](const std::string& text) {
            return colorFromHex(text) ? std::string() : std::string("is not a color such as #ffffff");
          })
          .written(TextForm::Color),
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
        "back together as props; Dress gives them to points as debris. Every vertex carries cut, 1 on what was inside. "
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
                 ARVESK_TEXT("node", "Where it is hit: pieces are smaller there."), true, false}};
    k.outputs = {{"kit", ValueType::Kit, ARVESK_TEXT("node", "Pieces")},
                 {"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = declaredParams();
    k.usesSeed = true;
    k.trial.params = {{"form", std::string("splinters")}, {"roughness", 0.1}, {"longest", 3.0}};
    k.example.hasBodies = true;
    k.example.params = {{"shown", true}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
