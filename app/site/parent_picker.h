// Picks parents of a scene file in Site, for a text that names them: Ctrl and a click on one of their markers puts the
// name in, or takes it out.
#pragma once

#include "app/model/worker.h"
#include "app/site/site_tool.h"

namespace arvesk {

class ParentPicker : public SiteTool {
 public:
  /// `param` of the node that is shown holds the names; empty where its kind has none that names parents.
  static std::string paramOf(const PlanModel& model, const QString& uid);

  ParentPicker(PlanModel* model, QString uid, std::string param, std::shared_ptr<FileService> files)
      : m_model(model), m_uid(std::move(uid)), m_param(std::move(param)), m_files(std::move(files)) {}
  /// The file is read.
  bool isReady() const { return m_markers != nullptr; }
  QString hint() const override;
  bool isArmed() const override { return false; }  // only with Ctrl: a click selects, as elsewhere
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer&, const SiteLens&) override {}
  void release() override {}
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  void paint(QPainter& painter, const SiteLens& lens) const override;
  void showResults(const EvalViewPtr& view) override;

 private:
  /// The marker under the pointer; none has kNone.
  std::size_t markerAt(const SitePointer& pointer, const SiteLens& lens) const;
  std::string parentOf(std::size_t marker) const;
  QString names() const;

  static constexpr std::size_t kNone = static_cast<std::size_t>(-1);
  PlanModel* m_model;
  QString m_uid;
  std::string m_param;
  std::shared_ptr<FileService> m_files;
  PointsPtr m_markers;      // all that are in the file, with "under"
  std::uint64_t m_key = 0;  // of what they were made from
  std::size_t m_lit = kNone;
  int m_gesture = 0;
  Worker m_job;
};

}  // namespace arvesk
