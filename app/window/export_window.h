// Export: which outputs, to which file; final quality, with progress and cancel, and a report afterwards. Works on a
// thread of its own.
#pragma once

#include "app/model/plan_model.h"
#include "core/formats/exporter.h"

#include <QDialog>

#include <thread>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTreeWidget;

namespace arvesk {

class ExportWindow : public QDialog {
  Q_OBJECT

 public:
  ExportWindow(PlanPtr plan, const QString& folder, QWidget* parent = nullptr);
  ~ExportWindow() override;
  bool isBusy() const { return m_isBusy; }

 private:
  void start();
  void showOptions();
  void finish(const Result<ExportReport>& report);

  PlanPtr m_plan;
  QString m_folder;
  QLineEdit* m_path;
  std::vector<QCheckBox*> m_outputs;
  QComboBox* m_gltf;
  QComboBox* m_usd;
  QCheckBox* m_attributes;
  QCheckBox* m_covers;
  QLabel* m_help = nullptr;
  QProgressBar* m_progress;
  QLabel* m_message;
  QTreeWidget* m_report;
  QPushButton* m_start;
  QPushButton* m_cancel;
  bool m_isBusy = false;
  std::jthread m_thread;
};

}  // namespace arvesk
