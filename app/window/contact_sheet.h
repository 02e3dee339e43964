// Contact sheet: small pictures of the same plan under many seeds, or with many values of a dial or front control (of
// two as rows and columns), or with a later version of a sub-plan, from the same camera; a click chooses one, until
// then nothing changes.
#pragma once

#include "app/model/plan_model.h"
#include "app/model/worker.h"
#include "app/window/sheet_axis.h"
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
               QWidget* parent = nullptr)
      : ContactSheet(model, std::move(files), camera, node, {}, parent) {}
  /// The plan as it is beside itself with a later version of a sub-plan.
  ContactSheet(PlanModel* model, std::shared_ptr<DiskFileService> files, const Camera& camera, const SheetAxis& version,
               QWidget* parent = nullptr)
      : ContactSheet(model, std::move(files), camera, {}, version, parent) {}
  int pictureCount() const { return m_done; }
  /// Seed of a cell; cell 0 is the one that the plan has now.
  std::uint64_t seedOf(int cell) const;
  /// What is varied along the rows, and down the columns where anything is.
  const SheetAxis& across() const { return m_across; }
  const std::optional<SheetAxis>& down() const { return m_down; }

 Q_SIGNALS:
  void pictureReady(int cell);

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  ContactSheet(PlanModel* model, std::shared_ptr<DiskFileService> files, const Camera& camera, const QString& node,
               const std::optional<SheetAxis>& version, QWidget* parent);
  bool isVersions() const { return m_across.of == SheetAxis::Of::Version; }
  int columns() const { return m_down || isVersions() ? m_across.most(m_side) : m_side; }
  int rows() const { return (cellCount() + columns() - 1) / columns(); }
  QSize roomOfPicture() const;
  QString headWords() const;
  /// What is new in the version, what would be lost, and which outputs have other counts.
  QString versionWords() const;
  void rebuild();
  void drawNext();
  void choose(int cell);
  void fillDown();
  void showRange();
  int cellCount() const;
  /// Sets the plan to what the cell shows.
  void apply(Plan& plan, int cell) const;
  QString wordsOf(int cell) const;

  PlanModel* m_model;
  Camera m_site;    // as Site looks now
  Camera m_camera;  // on what the seeds change
  std::vector<SheetAxis> m_axes;
  SheetAxis m_across;
  std::optional<SheetAxis> m_down;
  PlanPtr m_plan;  // as it was when the sheet was opened
  QComboBox* m_size;
  QComboBox* m_target;
  QComboBox* m_second;
  class NumberField* m_from = nullptr;
  class NumberField* m_to = nullptr;
  QWidget* m_range;  // holds them
  QLabel* m_head;
  QCheckBox* m_keep;                       // shown when there are touch-ups
  std::map<std::string, TouchUps> m_kept;  // those of each node, all kept
  std::size_t m_waiting = 0;               // touch-ups that sleep or are stray now
  QGridLayout* m_grid;
  std::vector<QToolButton*> m_cells;
  std::vector<std::map<std::string, std::size_t>> m_counts;  // of each cell that is done, by the title of the output
  int m_side = 3;
  int m_done = 0;
  std::shared_ptr<Evaluator> m_evaluator;  // touched by the job only
  Worker m_job;
};

}  // namespace arvesk
