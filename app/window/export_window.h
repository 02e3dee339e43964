// Export: which outputs, to which file; final quality, with progress and cancel, and a report afterwards. Works on a
// thread of its own.
#pragma once

#include "app/model/evaluation_service.h"
#include "core/formats/exporter.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTreeWidget;

namespace arvesk {

class AttributeList;
class FrameChoice;
struct ExportDone;

class ExportWindow : public QDialog {
  Q_OBJECT

 public:
  /// `file` is the plan's own, empty before it was saved.
  ExportWindow(PlanPtr plan, const QString& file, std::shared_ptr<DiskFileService> files, QWidget* parent = nullptr);
  /// What was worked out, of this plan or of it before its last edits, tells which attributes there are to choose from.
  void showResults(const EvalViewPtr& view);
  bool isBusy() const { return m_worker.isBusy(); }

 private:
  void addOutputs();
  void buildLayout(QPushButton* choose);
  /// Asks when what stands there was not written by this plan.
  bool mayReplace();
  bool mayReplaceFrames();
  void start();
  void showOptions();
  void listAttributes();
  void finish(const Result<ExportDone>& done);

  PlanPtr m_plan;
  QString m_file;
  std::shared_ptr<DiskFileService> m_files;  // the window's: what it worked out already is not made again
  QLineEdit* m_path;
  QString m_agreed;        // to replace this one; the file dialog asked
  QString m_written;       // by this window last
  QString m_writtenStamp;  // what stood there then
  struct OutputBox {
    std::string uid;
    QCheckBox* box;
    std::set<std::string> attributes;  // that its points carry
    bool isVolume = false;
  };
  std::vector<OutputBox> m_outputs;
  QComboBox* m_gltf;
  QComboBox* m_usd;
  AttributeList* m_attributes;
  QCheckBox* m_half;
  QCheckBox* m_payload;
  QCheckBox* m_bodies;
  QCheckBox* m_covers;
  QCheckBox* m_withoutMissing;
  QCheckBox* m_verify;
  FrameChoice* m_frames = nullptr;  // null where the plan has no time
  QLabel* m_help = nullptr;
  QProgressBar* m_progress;
  QLabel* m_message;
  QTreeWidget* m_report;
  QPushButton* m_start;
  QPushButton* m_cancel;
  Worker m_worker;
};

}  // namespace arvesk
