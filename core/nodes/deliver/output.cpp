// Output: a named output of the plan; what Site shows and export writes.
#include "core/nodes/deliver/merge.h"
#include "core/nodes/ground/merge_surfaces.h"
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"
#include "core/props/bare.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  bool isExported = true;
  bool isVisible = true;
  bool keepsGone = false;
};

/// What has size 0 is not there: nothing shows it, exports it or counts it.
PointsPtr withoutGone(const EvalContext& ctx, const PointsPtr& points) {
  Array<std::uint8_t> keeps(points->count);
  std::size_t gone = 0;
  for (std::size_t i = 0; i < points->count; ++i) {
    keeps[i] = !points->isGone(i);
    gone += !keeps[i];
  }
  if (gone == 0) return points;
  ctx.say(fmt::format("{} of size 0 are not there", gone));
  return split(*points, keeps).first;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const auto& links = in.many("points");
  const auto holds = [&](auto type) {
    return std::any_of(links.begin(), links.end(),
                       [](const Inputs::Link& l) { return std::holds_alternative<decltype(type)>(l.value); });
  };
  if (holds(SurfacePtr())) {
    if (holds(PointsPtr()) || holds(VolumePtr()))
      return fail(ProblemCode::WrongInput, "gets surfaces and something else at once",
                  "Use an Output for each kind of thing");
    SurfacePtr only;
    std::size_t count = 0;
    for (const Inputs::Link& link : links)
      if (const auto* surface = std::get_if<SurfacePtr>(&link.value)) only = *surface, ++count;
    // One surface goes through as it is, with its index.
    if (count == 1 && only->isShown == p.isVisible) {
      ctx.say(fmt::format("{} triangles", only->faceCount()));
      return Outputs{only};
    }
    auto surface = count == 1 ? Result<SurfacePtr>(only) : mergedSurfaces(ctx, links);
    if (!surface) return Failure(surface.error());
    Surface shown = **surface;
    shown.isShown = p.isVisible;
    ctx.say(fmt::format("{} triangles", shown.faceCount()));
    return Outputs{std::make_shared<const Surface>(std::move(shown))};
  }
  if (holds(VolumePtr())) {
    if (holds(PointsPtr()))
      return fail(ProblemCode::WrongInput, "gets points and volumes at once",
                  "Use one Output for the points and one for the volumes");
    std::vector<VolumePtr> volumes;
    for (const Inputs::Link& link : links)
      if (const auto* volume = std::get_if<VolumePtr>(&link.value); volume && *volume) volumes.push_back(*volume);
    if (volumes.size() > 1)
      return fail(ProblemCode::WrongInput, fmt::format("gets {} volumes at once", volumes.size()),
                  "Use an Output for each, or Combine volumes");
    ctx.say(voxelWords(*volumes.front()));
    return Outputs{volumes.front()};
  }
  auto points = merged(ctx, links);
  if (!points) return Failure(points.error());
  if (!p.keepsGone) *points = withoutGone(ctx, *points);
  std::size_t bare = 0;
  for (std::size_t i = 0; i < (*points)->count; ++i) bare += (*points)->prop[i] == kNoProp;
  if (bare > 0)
    ctx.warn(std::to_string(bare) + " points have no prop and are not exported as instances",
             bareAdvice((*points)->kit != nullptr));
  if (const std::size_t moved = (*points)->movedCount(); moved > 0)
    ctx.warn(fmt::format("{} of {} were moved aside after they were set down", moved, (*points)->count),
             "Put Set down last, so that nothing floats or is buried", Remedy::SetDownLast);
  return Outputs{std::move(*points)};
}

std::string sentence(const Params& p) {
  std::string text = "Output";
  if (!p.isExported) text += " · not exported";
  if (!p.isVisible) text += " · hidden";
  return text;
}

}  // namespace

const NodeKind& output() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "output";
    k.family = Family::Deliver;
    k.label = ARVESK_TEXT("node", "Output");
    k.help = ARVESK_TEXT("node",
                         "A named output of the plan: shown in Site and written by export, under the node's title. "
                         "Several inputs are put together as Merge does. Surfaces are delivered as meshes; volumes "
                         "as VDB, and those that are densities are shown as haze.");
    k.glyph = "output";
    k.shownParam = "visible";
    k.exportedParam = "exported";
    k.synonyms = {"result", "layer", "export", "deliver", "vdb"};
    k.inputs = {{"points",
                 ValueType::Points,
                 ARVESK_TEXT("node", "Points"),
                 ARVESK_TEXT("node", "What belongs to this output: points, surfaces or volumes."),
                 false,
                 true,
                 {ValueType::Surface, ValueType::Volume},
                 true}};
    k.outputs = {{"placed", ValueType::Points, ARVESK_TEXT("node", "Placed"), "points"}};
    carriesNowhere(k);
    keepsSizes(k);
    k.params = {
        param("exported", &Params::isExported, ARVESK_TEXT("node", "Exported"),
              ARVESK_TEXT("node", "Export writes this output.")),
        param("visible", &Params::isVisible, ARVESK_TEXT("node", "Visible"),
              ARVESK_TEXT("node", "Site shows this output.")),
        param("keep_gone", &Params::keepsGone, ARVESK_TEXT("node", "Keep size 0"),
              ARVESK_TEXT("node",
                          "Points of size 0 are counted and exported too, too small to be seen: for who needs "
                          "the same ones in every frame.")),
    };
    k.isLayer = true;
    k.example.spacing = 2.2;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
