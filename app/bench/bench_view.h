// Bench: the controls of the selected node beside the distribution of what it measures; the plan's own settings when
// nothing is selected.
#pragma once

#include "app/bench/distribution_view.h"
#include "app/bench/param_editors.h"
#include "app/model/mask_previews.h"
#include "app/model/plan_model.h"

class QGridLayout;
class QLabel;
class QPushButton;
class QScrollArea;

namespace arvesk {

class NumberField;

class BenchView : public QWidget {
  Q_OBJECT

 public:
  explicit BenchView(PlanModel* model, QWidget* parent = nullptr);
  void setFolder(const QString& folder) { m_folder = folder; }
  /// Which node is on the Bench; empty for the plan.
  void showNode(const QString& uid);
  const QString& node() const { return m_uid; }
  void showResults(const EvalViewPtr& view);
  void showMasks(const MaskPreviewsPtr& masks);
  QString heading() const;

 Q_SIGNALS:
  /// What failed is to be tried again: its files may be well now.
  void tryAgainWanted();
  void headingChanged();

 private:
  void remedy();
  struct Row {
    ParamSpec spec;
    QWidget* label;
    ParamEditor* editor;
  };
  void rebuild();
  void refresh();
  void addRow(QGridLayout* grid, int& cell, const QString& label, const QString& help, QWidget* editor, bool isWide,
              QWidget** labelOut);
  void addSeedRow(QGridLayout* grid, int& cell);
  void buildPlanControls(QGridLayout* grid);
  void buildDials(QGridLayout* grid, int& cell);
  std::vector<std::string> dialUids() const;
  const ParamSpec* handleParam(const Node& node) const;
  const ParamSpec* curveParam(const Node& node) const;
  void fitToData();

  PlanModel* m_model;
  QString m_folder;
  QString m_uid;
  std::string m_kind;
  std::vector<PropEntry> m_props;  // that the controls were made for
  std::vector<std::string> m_dialUids;
  QScrollArea* m_scroll;
  QLabel* m_problems;
  QPushButton* m_remedy;  // what the program can do about one of them
  QPushButton* m_tryAgain;
  QLabel* m_summary;  // of the plan's outputs, when no node is on the Bench
  DistributionView* m_distribution;
  std::vector<Row> m_rows;
  std::vector<std::function<void()>> m_refreshers;
  std::shared_ptr<const Histogram> maskHistogram() const;

  EvalViewPtr m_view;
  MaskPreviewsPtr m_masks;
};

}  // namespace arvesk
