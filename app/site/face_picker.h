// Picks faces of a surface in Site for a node that keeps a list of them. One drag is one undo step.
#pragma once

#include "app/model/background_job.h"
#include "app/site/site_tool.h"
#include "core/spatial/surface_index.h"

namespace arvesk {

class FacePicker : public SiteTool {
 public:
  FacePicker(PlanModel* model, QString uid) : m_model(model), m_uid(std::move(uid)) {}
  QString hint() const override;
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override {}
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;
  void showResults(const EvalViewPtr& view) override;

 private:
  const ParamSpec* spec() const;
  std::vector<double> picked() const;
  std::uint32_t faceAt(const SitePointer& pointer) const;
  void take(const SitePointer& pointer);

  PlanModel* m_model;
  QString m_uid;
  SurfacePtr m_surface;  // the node's input
  std::shared_ptr<const SurfaceIndex> m_index;
  BackgroundJob m_job;  // makes the index
  std::uint32_t m_lit = kNoFace;
  int m_gesture = 0;
};

}  // namespace arvesk
