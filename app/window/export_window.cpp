#include "app/window/export_window.h"

#include "app/window/settings.h"
#include "app/window/theme.h"
#include "core/deliver/delivery.h"
#include "core/formats/file_service.h"

#include <QCheckBox>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QProgressBar>
#include <QPushButton>

namespace arvesk {

ExportWindow::ExportWindow(PlanPtr plan, const QString& folder, QWidget* parent)
    : QDialog(parent), m_plan(std::move(plan)), m_folder(folder), m_path(new QLineEdit(this)), m_progress(new QProgressBar(this)), m_report(new QLabel(this)),
      m_start(new QPushButton(tr("Export"), this)), m_cancel(new QPushButton(tr("Close"), this)) {
  setObjectName(QStringLiteral("export_window"));
  setWindowTitle(tr("Export"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(520, 420);
  m_path->setObjectName(QStringLiteral("export_path"));
  m_path->setAccessibleName(tr("File to write"));
  const QString remembered = Settings().exportPath();
  m_path->setText(remembered.isEmpty() ? QDir(folder.isEmpty() ? QDir::homePath() : folder).filePath(QStringLiteral("placements.glb")) : remembered);
  auto* choose = new QPushButton(tr("Choose…"), this);
  m_start->setObjectName(QStringLiteral("export_start"));
  m_cancel->setObjectName(QStringLiteral("export_cancel"));
  m_report->setObjectName(QStringLiteral("export_report"));
  m_report->setWordWrap(true);
  m_report->setAlignment(Qt::AlignTop);
  m_report->setTextInteractionFlags(Qt::TextSelectableByMouse);
  m_progress->setRange(0, 1000);
  m_progress->setTextVisible(false);
  m_progress->hide();
  m_start->setDefault(true);

  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(16, 16, 16, 16);
  grid->setVerticalSpacing(8);
  int row = 0;
  auto* head = new QLabel(tr("Outputs, at final quality"), this);
  head->setProperty("role", QStringLiteral("section"));
  grid->addWidget(head, row++, 0, 1, 3);
  for (const Node& node : m_plan->nodes) {
    const NodeKind* kind = findNodeKind(node.kind);
    if (!kind || !kind->isLayer || node.isSkipped) continue;
    auto* box = new QCheckBox(QString::fromStdString(node.title), this);
    const auto exported = node.params.find("exported");
    box->setChecked(exported == node.params.end() || std::get<bool>(exported->second));
    grid->addWidget(box, row++, 0, 1, 3);
    m_outputs.push_back(box);
  }
  if (m_outputs.empty()) {
    grid->addWidget(new QLabel(tr("The plan has no Output node yet."), this), row++, 0, 1, 3);
    m_start->setEnabled(false);
  }
  auto* fileHead = new QLabel(tr("File"), this);
  fileHead->setProperty("role", QStringLiteral("section"));
  grid->addWidget(fileHead, row++, 0, 1, 3);
  grid->addWidget(m_path, row, 0, 1, 2);
  grid->addWidget(choose, row++, 2);
  auto* help = new QLabel(tr("By its ending: .glb or .gltf (glTF with instances), .usda (USD point instancers), .csv (a row per placement)"), this);
  help->setProperty("role", QStringLiteral("quiet"));
  help->setWordWrap(true);
  grid->addWidget(help, row++, 0, 1, 3);
  grid->addWidget(m_progress, row++, 0, 1, 3);
  grid->addWidget(m_report, row, 0, 1, 3);
  grid->setRowStretch(row++, 1);
  grid->addWidget(m_start, row, 1, Qt::AlignRight);
  grid->addWidget(m_cancel, row, 2);
  grid->setColumnStretch(0, 1);
  connect(choose, &QPushButton::clicked, this, [this] {
    const QString path = QFileDialog::getSaveFileName(this, tr("Export to"), m_path->text(), tr("glTF binary (*.glb);;glTF (*.gltf);;USD (*.usda);;Table (*.csv)"));
    if (!path.isEmpty()) m_path->setText(path);
  });
  connect(m_start, &QPushButton::clicked, this, &ExportWindow::start);
  connect(m_cancel, &QPushButton::clicked, this, [this] {
    if (m_isBusy) m_thread.request_stop();
    else close();
  });
}

ExportWindow::~ExportWindow() { m_thread.request_stop(); }

void ExportWindow::start() {
  std::vector<std::string> names;
  for (const QCheckBox* box : m_outputs)
    if (box->isChecked()) names.push_back(box->text().toStdString());
  if (names.empty()) {
    m_report->setText(tr("Choose an output first."));
    return;
  }
  Settings().setExportPath(m_path->text());
  m_isBusy = true;
  m_start->setEnabled(false);
  m_cancel->setText(tr("Cancel"));
  m_progress->setValue(0);
  m_progress->show();
  m_report->setText(tr("Evaluating at final quality…"));
  m_thread = std::jthread([this, names, path = m_path->text().toStdString(), plan = m_plan, folder = m_folder.toStdString()](std::stop_token stop) {
    const auto show = [this](float share) { QMetaObject::invokeMethod(this, [this, share] { m_progress->setValue(static_cast<int>(share * 1000)); }, Qt::QueuedConnection); };
    Evaluator evaluator(std::make_shared<DiskFileService>(folder));
    EvalRequest request;
    request.task = {stop, [show](float share) { show(share * 0.6F); }};
    const Evaluation evaluation = evaluator.evaluate(*plan, request);
    Result<ExportReport> report = Failure(cancelled());
    if (!evaluation.isCancelled) {
      const auto layers = exportLayersOf(*plan, evaluation, names);
      report = layers ? exportLayers(*layers, path, {stop, [show](float share) { show(0.6F + share * 0.4F); }}) : Result<ExportReport>(Failure(layers.error()));
    }
    QMetaObject::invokeMethod(this, [this, report] { finish(report); }, Qt::QueuedConnection);
  });
}

void ExportWindow::finish(const Result<ExportReport>& report) {
  m_isBusy = false;
  m_start->setEnabled(true);
  m_cancel->setText(tr("Close"));
  m_progress->hide();
  const QLocale locale;
  if (!report) {
    const bool isCancelled = report.error().code == ProblemCode::Cancelled;
    m_report->setText(isCancelled ? tr("Cancelled; the old file, if there was one, is as it was.") : QStringLiteral("! ") + QString::fromStdString(toLine(report.error())));
    return;
  }
  QString words = tr("%1 placements written to %2").arg(locale.toString(static_cast<qulonglong>(report->placements)), QFileInfo(m_path->text()).fileName());
  for (const auto& [prop, count] : report->perProp) words += QStringLiteral("\n%1  %2").arg(locale.toString(static_cast<qulonglong>(count)), QString::fromStdString(prop));
  if (report->withoutProp > 0) words += QStringLiteral("\n! ") + tr("%1 points have no prop and were not written").arg(locale.toString(static_cast<qulonglong>(report->withoutProp)));
  m_report->setText(words);
}

}  // namespace arvesk
