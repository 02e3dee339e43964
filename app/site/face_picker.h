// Picks faces of a surface in Site for a node that keeps a list of them. One drag is one undo step.
#pragma once

#include "app/model/worker.h"
#include "app/site/site_tool.h"
#include "core/geometry/faces.h"
#include "core/spatial/surface_index.h"

namespace arvesk {

class FacePicker : public SiteTool {
 public:
  FacePicker(PlanModel* model, QString uid) : m_model(model), m_uid(std::move(uid)) {}
  QString hint() const override;
  bool isBrush() const override { return true; }
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override {}
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;
  void showResults(const EvalViewPtr& view) override;

 private:
  const ParamSpec* spec() const;
  FaceList picked() const;
  /// The face, by the node's own rule of what is one.
  std::uint32_t faceAt(const SitePointer& pointer) const;
  void take(const SitePointer& pointer);

  PlanModel* m_model;
  QString m_uid;
  SurfacePtr m_surface;  // the node's input
  FaceRule m_rule;
  std::shared_ptr<const Faces> m_faces;
  std::shared_ptr<const std::vector<std::pair<std::uint64_t, std::uint32_t>>> m_triangleOfKey;  // by rising key
  std::shared_ptr<const SurfaceIndex> m_index;
  Worker m_job;  // makes these
  std::uint32_t m_lit = kNoTriangleFace;
  int m_gesture = 0;
};

}  // namespace arvesk
