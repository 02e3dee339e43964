#include "core/deliver/delivery.h"

#include "core/deliver/layers.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace arvesk {
namespace {

bool isOn(const Node& node, const std::string& paramId) {
  const auto it = node.params.find(paramId);
  const bool* value = it == node.params.end() ? nullptr : std::get_if<bool>(&it->second);
  return !value || *value;
}

bool isLayer(const Node& node) {
  const NodeKind* kind = kindOf(node);
  return kind && kind->isLayer && !node.isSkipped;
}

bool hasBare(const Points& p) {
  for (std::size_t i = 0; i < p.count; ++i)
    if (p.prop[i] == kNoProp) return true;
  return false;
}

}  // namespace

bool isShownLayer(const Node& node) { return isLayer(node) && isOn(node, kindOf(node)->shownParam); }
bool isExportedLayer(const Node& node) { return isLayer(node) && isOn(node, kindOf(node)->exportedParam); }

Result<std::vector<ExportLayer>> exportLayersOf(const Plan& plan, const Evaluation& evaluation,
                                                const std::vector<std::string>& names) {
  std::vector<ExportLayer> layers;
  for (const Node& node : plan.nodes) {
    const bool isNamed = std::find(names.begin(), names.end(), node.title) != names.end();
    if (names.empty() ? !isExportedLayer(node) : !isLayer(node) || !isNamed) continue;
    const PointsPtr points = evaluation.firstOf<PointsPtr>(node.uid);
    if (const SurfacePtr surface = evaluation.firstOf<SurfacePtr>(node.uid)) {
      layers.push_back({node.title, nullptr, surface, nullptr, nullptr, node.uid});
      continue;
    }
    if (const VolumePtr volume = evaluation.firstOf<VolumePtr>(node.uid)) {
      layers.push_back({node.title, nullptr, nullptr, volume, nullptr, node.uid});
      continue;
    }
    if (!points) {
      const auto report = evaluation.reports.find(node.uid);
      if (report != evaluation.reports.end() && !report->second.problems.empty())
        return Failure(report->second.problems.front());
      return fail(ProblemCode::Waiting, "has no result to export", "Fix the nodes before it", node.title);
    }
    layers.push_back({node.title, points, nullptr, nullptr, nullptr, node.uid});
  }
  for (const std::string& name : names)
    if (std::none_of(layers.begin(), layers.end(), [&](const ExportLayer& l) { return l.name == name; }))
      return fail(ProblemCode::BadParameter, fmt::format("there is no Output node titled \"{}\"", name),
                  "Use the title as it stands on the card");
  if (layers.empty())
    return fail(ProblemCode::MissingInput, "the plan has no Output node that is exported",
                "Add an Output node, or switch Exported on");
  return layers;
}

std::vector<const Node*> openEndsOf(const Plan& plan) {
  std::set<std::string> taken;
  for (const Node& node : plan.nodes)
    for (const auto& [id, links] : node.inputs)
      for (const Link& link : links) taken.insert(link.node);
  std::vector<const Node*> ends;
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = kindOf(node);
    // Inside of a sub-plan only what goes out of it is an end.
    if (!node.liesIn.instance.empty() && !node.liesIn.isEnd) continue;
    if (kind && !kind->isLayer && !node.isSkipped && !kind->outputs.empty() &&
        kind->outputs.front().type == ValueType::Points && !taken.contains(node.uid))
      ends.push_back(&node);
  }
  return ends;
}

PictureInput pictureInputOf(const Plan& plan, const Evaluation& evaluation, const std::string& inSite,
                            std::vector<PointsPtr>& bare) {
  PictureInput input;
  bool isInSiteShown = false;
  const PointsPtr all = inSite.empty() ? nullptr : evaluation.firstOf<PointsPtr>(inSite);
  if (const PointsPtr shown = draftOf(all, evaluation.draftShare)) {
    input.layers.push_back({shown, false, inSite});
    if (hasBare(*shown)) bare.push_back(shown);
    isInSiteShown = true;
  }
  for (const Node& node : plan.nodes) {
    if (const auto surface = evaluation.firstOf<SurfacePtr>(node.uid); surface && surface->isShown && !node.isSkipped) {
      // A ground that another ground node was made from is shown by that one.
      const bool isUsedUp = std::any_of(plan.nodes.begin(), plan.nodes.end(), [&](const Node& other) {
        const auto made = other.inputs.empty() || !kindOf(other) ? nullptr : evaluation.firstOf<SurfacePtr>(other.uid);
        if (!made || !made->isShown) return false;  // what is made but hidden takes nothing over
        return std::any_of(other.inputs.begin(), other.inputs.end(), [&](const auto& in) {
          return std::any_of(in.second.begin(), in.second.end(), [&](const Link& l) { return l.node == node.uid; });
        });
      });
      if (!isUsedUp) input.grounds.push_back(surface);
    }
    if (const VolumePtr volume = evaluation.firstOf<VolumePtr>(node.uid); volume && !node.isSkipped)
      if (isShownLayer(node) || node.uid == inSite)
        // Once, though the node and an Output of it may both be shown.
        if (const DensityPtr density = volume->density({});
            density && std::find(input.hazes.begin(), input.hazes.end(), density) == input.hazes.end())
          input.hazes.push_back(density);
    if (!isShownLayer(node) || node.uid == inSite) continue;
    if (const PointsPtr points = evaluation.firstOf<PointsPtr>(node.uid)) {
      input.layers.push_back({points, isInSiteShown, node.uid});
      if (!isInSiteShown && hasBare(*points)) bare.push_back(points);
    }
  }
  for (const Node* node : openEndsOf(plan)) {
    if (node->uid == inSite) continue;
    if (const PointsPtr points = draftOf(evaluation.firstOf<PointsPtr>(node->uid), evaluation.draftShare)) {
      input.layers.push_back({points, isInSiteShown, node->uid});
      if (!isInSiteShown && hasBare(*points)) bare.push_back(points);
    }
  }
  if (plan.settings.hasWater) input.waterLevel = static_cast<float>(plan.settings.waterLevel);
  input.light.sunHeadingDeg = static_cast<float>(plan.settings.sunHeadingDeg);
  input.light.sunHeightDeg = static_cast<float>(plan.settings.sunHeightDeg);
  input.light.hazeDistance = static_cast<float>(plan.settings.hazeDistance);
  return input;
}

PlanTotals totalsOf(const Plan& plan, const Evaluation& evaluation) {
  PlanTotals totals;
  for (const Node& node : plan.nodes) {
    if (!isShownLayer(node)) continue;
    const PointsPtr points = evaluation.firstOf<PointsPtr>(node.uid);
    if (!points) continue;
    for (std::size_t i = 0; i < points->count; ++i) {
      const std::int32_t prop = points->prop[i];
      if (prop == kNoProp) continue;
      ++totals.placements;
      totals.triangles += points->kit->entries[static_cast<std::size_t>(prop)].prop->surface->faceCount();
    }
  }
  return totals;
}

Camera cameraFrom(const CameraEntry& entry) {
  Camera camera{entry.eye, entry.target, entry.fieldOfViewDeg};
  if (entry.sun)
    camera.sun = Camera::Sun{static_cast<float>(entry.sun->headingDeg), static_cast<float>(entry.sun->heightDeg)};
  return camera;
}

Result<Camera> cameraOf(const Plan& plan, const std::string& name, const Box3& bounds) {
  const auto& cameras = plan.settings.cameras;
  const auto it = std::find_if(cameras.begin(), cameras.end(), [&](const CameraEntry& c) { return c.name == name; });
  if (it != cameras.end()) return cameraFrom(*it);
  if (!name.empty()) {
    std::vector<std::string> names;
    for (const CameraEntry& c : cameras) names.push_back(c.name);
    return fail(ProblemCode::BadParameter, fmt::format("the plan has no camera \"{}\"", name),
                names.empty() ? "Save one in Site" : "There are: " + listOf(names));
  }
  if (!cameras.empty()) return cameraFrom(cameras.front());
  Camera looking;
  looking.eye = {1, 0.7F, 1};
  return cameraFitting(bounds, looking);
}

}  // namespace arvesk
