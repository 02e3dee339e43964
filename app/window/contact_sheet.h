// Contact sheet: small pictures of the same plan under many seeds, from the same camera; a click chooses one, until
// then nothing changes.
#pragma once

#include "app/model/plan_model.h"
#include "app/model/worker.h"
#include "core/formats/file_service.h"
#include "core/picture/film.h"
#include "core/plan/evaluator.h"

#include <QWidget>

#include <memory>

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;
class QToolButton;

namespace arvesk {

class ContactSheet : public QWidget {
  Q_OBJECT

 public:
  /// `node`: whose seed is varied; empty for the plan's.
  ContactSheet(PlanModel* model, std::shared_ptr<DiskFileService> files, const Camera& camera, const QString& node,
               QWidget* parent = nullptr);
  int pictureCount() const { return m_done; }
  /// Seed of a cell; cell 0 is the one that the plan has now.
  std::uint64_t seedOf(int cell) const;

 Q_SIGNALS:
  void pictureReady(int cell);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  void rebuild();
  void drawNext();
  void choose(int cell);

  PlanModel* m_model;
  Camera m_site;    // as Site looks now
  Camera m_camera;  // on what the seeds change
  std::string m_node;
  PlanPtr m_plan;  // as it was when the sheet was opened
  QComboBox* m_size;
  QComboBox* m_target;
  QLabel* m_head;
  QCheckBox* m_keep;                       // shown when there are touch-ups
  std::map<std::string, TouchUps> m_kept;  // those of each node, all kept
  std::size_t m_waiting = 0;               // touch-ups that sleep or are stray now
  QGridLayout* m_grid;
  std::vector<QToolButton*> m_cells;
  int m_side = 3;
  int m_done = 0;
  std::shared_ptr<Evaluator> m_evaluator;  // touched by the job only
  Worker m_job;
};

}  // namespace arvesk
