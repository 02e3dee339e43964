// What an evaluated plan shows and hands over: its outputs, the input of its picture, and sums. Site, export and
// command line share it.
#pragma once

#include "core/formats/exporter.h"
#include "core/picture/film.h"
#include "core/picture/scene.h"
#include "core/plan/evaluator.h"

namespace arvesk {

struct PlanTotals {
  std::size_t placements = 0;
  std::uint64_t triangles = 0;
};

/// The exported Output nodes as layers, in the order of the plan; only those titled in `names` when it is not empty.
Result<std::vector<ExportLayer>> exportLayersOf(const Plan& plan, const Evaluation& evaluation,
                                                const std::vector<std::string>& names);

/// Nodes that give points which nothing takes, though they are no Output: shown, and neither counted nor exported. In
/// the order of the plan.
std::vector<const Node*> openEndsOf(const Plan& plan);

/// What Site shows: visible outputs, open ends, shown grounds, water and light. With `inSite` (a node's uid) that
/// node's points stand out and the outputs are ghosted. Points that have no prop are returned in `bare` to be drawn as
/// discs.
PictureInput pictureInputOf(const Plan& plan, const Evaluation& evaluation, const std::string& inSite,
                            std::vector<PointsPtr>& bare);

/// Over the visible outputs.
PlanTotals totalsOf(const Plan& plan, const Evaluation& evaluation);

Camera cameraFrom(const CameraEntry& entry);

/// The named camera of the plan; without a name its first, or one that shows everything. Fails, with the names that
/// there are, where none has that name.
Result<Camera> cameraOf(const Plan& plan, const std::string& name, const Box3& bounds);

}  // namespace arvesk
