// Solid: the inside of surfaces as a volume.
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Take { Fill, Shell };
struct Params {
  Take take = Take::Fill;
  Range depths{0, 0.1F};
  float grow = 0;
  float voxelSize = 0.1F;
};

/// m; 0 where no place has another side.
struct Thinnest {
  float part = 0;
};

/// The thinnest of many places, along the way inward from the middle of a face.
Thinnest findThinnest(const Volume& volume) {
  constexpr std::size_t kPlaces = 2000;
  float least = std::numeric_limits<float>::infinity();
  std::vector<SurfacePtr> surfaces;
  volume.addSurfaces(surfaces);
  for (const SurfacePtr& surface : surfaces) {
    const auto index = SurfaceIndex::of(*surface);
    if (!index || surface->faceCount() == 0) continue;
    const float extent = glm::length(surface->bounds().extent());
    const std::size_t step = surface->faceCount() / kPlaces + 1;
    for (std::size_t f = 0; f < surface->faceCount(); f += step) {
      const Vec3 middle = surface->positionAt(f, Vec2(1.0F / 3));
      const Vec3 normal = surface->faceNormal(f);
      const float hair = 1e-5F * std::max(extent, glm::length(middle));
      const Vec3 inward = volume.isInside(middle - hair * normal) ? -normal : normal;
      if (!volume.isInside(middle + hair * inward)) continue;
      // On past what is buried, to where the way leaves the body.
      float way = hair;
      for (int met = 0; met < 16 && volume.isInside(middle + way * inward); ++met) {
        const SurfaceHit hit = (*index)->first(middle + way * inward, inward, extent);
        if (!hit.isHit()) break;
        way += hit.distance + hair;
        if (!volume.isInside(middle + way * inward)) least = std::min(least, way);
      }
    }
  }
  return {std::isfinite(least) ? least : 0};
}

float thinnestPartOf(const Volume& volume) {
  if (const Posed* posed = volume.posed()) return thinnestPartOf(*posed->atRest);
  return volume.derived.get<Thinnest>([&] { return std::make_shared<const Thinnest>(findThinnest(volume)); })->part;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  std::vector<SurfacePtr> surfaces;
  std::size_t triangles = 0;
  for (const Inputs::Link& link : in.many("surfaces"))
    if (const auto* surface = std::get_if<SurfacePtr>(&link.value); surface && *surface) {
      surfaces.push_back(*surface);
      triangles += (*surface)->faceCount();
    }
  if (triangles == 0)
    return fail(ProblemCode::WrongInput, "the surfaces have no triangles", "Connect a closed surface");
  if (p.take == Take::Shell && p.depths.to <= p.depths.from)
    return fail(ProblemCode::BadParameter,
                fmt::format("the shell goes from {:g} to {:g} m", p.depths.from, p.depths.to),
                "Let the second depth be larger");
  const SolidRule rule{p.take == Take::Shell, p.depths, p.grow, p.voxelSize};
  auto volume = makeSolid(surfaces, rule, ctx.task);
  if (!volume) return Failure(volume.error());
  warnOfOpenEdges(ctx, **volume);
  if ((*volume)->bounds().isEmpty())
    ctx.warn("nothing is inside: the surfaces have no triangles with area", "Connect a closed surface");
  const float thinnest = thinnestPartOf(**volume);
  std::string said = voxelWords(**volume);
  if (thinnest > 0) said += fmt::format(", thinnest part {:.2g}", thinnest / p.voxelSize);
  ctx.say(std::move(said));
  return Outputs{std::move(*volume)};
}

std::string sentence(const Params& p) {
  std::string text = p.take == Take::Shell ? fmt::format("{:g} to {:g} m deep", p.depths.from, p.depths.to) : "Inside";
  if (p.grow != 0) text += fmt::format(" · {:+g} m", p.grow);
  return text;
}

}  // namespace

const NodeKind& solid() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "solid";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Solid");
    k.help = ARVESK_TEXT(
        "node",
        "What is inside of surfaces, as a volume. Pieces that overlap, several shells, shells that are turned round "
        "and "
        "surfaces that cross themselves count as the eye sees them; a shell within another that is turned against it "
        "is "
        "a hollow. Open surfaces are filled as far as they surround a place, with a warning. Inside is asked of the "
        "triangles themselves: the voxel size decides how finely the volume is drawn and made into a surface, never "
        "where points may lie. Depths under a grown skin are never reported as more than they are. Switch \"Shown in "
        "Site\" off at the "
        "surfaces to look at what is inside.");
    k.glyph = "solid";
    k.synonyms = {"volume", "fill", "inside", "closed", "voxels", "shell"};
    k.inputs = {{"surfaces", ValueType::Surface, ARVESK_TEXT("node", "Surfaces"),
                 ARVESK_TEXT("node", "What is filled, all together."), false, true}};
    k.outputs = {volumeOutput()};
    k.params = {
        param("take", &Params::take, ARVESK_TEXT("node", "Take"),
              ARVESK_TEXT("node", "All that is inside, or only what lies between two depths under the skin."),
              {{"fill", ARVESK_TEXT("node", "All of it")}, {"shell", ARVESK_TEXT("node", "Shell")}}),
        param("depths", &Params::depths, ARVESK_TEXT("node", "Depths"),
              ARVESK_TEXT("node", "Where the shell begins and ends, under the skin."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(0, 2, 0.01)
            .shown("take", {"shell"}),
        param("grow", &Params::grow, ARVESK_TEXT("node", "Grow"),
              ARVESK_TEXT("node", "How far the skin moves outward, inward below 0. At 0 nothing at all is changed."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(-1, 1, 0.01),
        voxelSizeParam("voxel_size", &Params::voxelSize),
    };
    k.isBridge = true;
    k.example.hasBodies = true;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
