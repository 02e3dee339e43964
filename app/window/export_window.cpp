#include "app/window/export_window.h"

#include "app/model/words.h"
#include "app/window/attribute_list.h"
#include "app/window/export_work.h"
#include "app/window/settings.h"
#include "app/window/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDateTime>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMessageBox>
#include <QProgressBar>
#include <QPushButton>
#include <QTreeWidget>

namespace arvesk {

namespace {

/// Size and time of what stands there; empty when nothing does.
QString stampOf(const QString& path) {
  const QFileInfo info(path);
  if (!info.exists()) return {};
  return QStringLiteral("%1 %2").arg(info.size()).arg(info.lastModified().toMSecsSinceEpoch());
}

/// May pieces of something be placed?
bool breaksUp(const Plan& plan) {
  const auto has = [](const std::vector<Node>& nodes) {
    return std::any_of(nodes.begin(), nodes.end(), [](const Node& node) { return node.kind == "break-up"; });
  };
  return has(plan.nodes) || std::any_of(plan.subPlans.begin(), plan.subPlans.end(),
                                        [&](const SubPlan& inside) { return has(inside.nodes); });
}

}  // namespace

ExportWindow::ExportWindow(PlanPtr plan, const QString& file, std::shared_ptr<DiskFileService> files, QWidget* parent)
    : QDialog(parent),
      m_plan(std::move(plan)),
      m_file(file),
      m_files(std::move(files)),
      m_path(new QLineEdit(this)),
      m_gltf(new QComboBox(this)),
      m_usd(new QComboBox(this)),
      m_attributes(new AttributeList(this)),
      m_half(new QCheckBox(tr("Numbers in 16 bits"), this)),
      m_payload(new QCheckBox(tr("Load what is by reference on demand"), this)),
      m_bodies(new QCheckBox(tr("Convex bodies of pieces beside (GLB)"), this)),
      m_covers(new QCheckBox(tr("Count maps beside (PNG, 0.5 m per pixel)"), this)),
      m_withoutMissing(new QCheckBox(tr("Leave out what a missing prop would stand for"), this)),
      m_verify(new QCheckBox(tr("Read back what was written and compare"), this)),
      m_progress(new QProgressBar(this)),
      m_message(new QLabel(this)),
      m_report(new QTreeWidget(this)),
      m_start(new QPushButton(tr("Export"), this)),
      m_cancel(new QPushButton(tr("Close"), this)) {
  setObjectName(QStringLiteral("export_window"));
  setWindowTitle(tr("Export"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(560, 380);
  m_path->setObjectName(QStringLiteral("export_path"));
  m_path->setAccessibleName(tr("File to write"));
  const QString remembered = file.isEmpty() ? QString() : Settings().exportPath(file);
  m_path->setText(remembered.isEmpty()
                      ? QDir(file.isEmpty() ? QDir::homePath() : QFileInfo(file).absolutePath())
                            .filePath((file.isEmpty() ? tr("placements") : QFileInfo(file).completeBaseName()) +
                                      QStringLiteral(".glb"))
                      : remembered);
  auto* choose = new QPushButton(tr("Choose…"), this);
  m_gltf->setObjectName(QStringLiteral("export_gltf"));
  m_gltf->setAccessibleName(tr("glTF as"));
  m_gltf->addItems({tr("Instances (EXT_mesh_gpu_instancing)"), tr("A plain node per placement"),
                    tr("One real mesh per output and prop")});
  m_usd->setObjectName(QStringLiteral("export_usd"));
  m_usd->setAccessibleName(tr("USD prototypes"));
  m_usd->addItems({tr("Prototypes inside the file"), tr("Prototypes in files beside it")});
  m_half->setObjectName(QStringLiteral("export_half"));
  m_payload->setObjectName(QStringLiteral("export_payload"));
  m_payload->setToolTip(
      tr("Files of props are named as payloads: readers may leave them unread until they are wanted"));
  m_bodies->setObjectName(QStringLiteral("export_bodies"));
  m_bodies->setToolTip(
      tr("For each piece of something broken its convex hull of at most 64 corners, by the same name"));
  m_covers->setObjectName(QStringLiteral("export_covers"));
  m_withoutMissing->setObjectName(QStringLiteral("export_without_missing"));
  m_verify->setObjectName(QStringLiteral("export_verify"));
  m_verify->setChecked(true);
  m_verify->setToolTip(tr("Counts, names, bounds and colors"));
  m_start->setObjectName(QStringLiteral("export_start"));
  m_cancel->setObjectName(QStringLiteral("export_cancel"));
  m_message->setObjectName(QStringLiteral("export_message"));
  m_message->setWordWrap(true);
  m_report->setObjectName(QStringLiteral("export_report"));
  m_report->setAccessibleName(tr("Report"));
  m_report->setColumnCount(2);
  m_report->setHeaderLabels({tr("Written"), tr("Count")});
  m_report->header()->setStretchLastSection(false);
  m_report->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_report->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
  m_report->setFrameShape(QFrame::NoFrame);
  m_report->hide();
  m_progress->setRange(0, 1000);
  m_progress->setTextVisible(false);
  m_progress->hide();
  m_start->setDefault(true);

  if (const auto& time = m_plan->settings.time)
    m_frames = new FrameChoice(*time, tr("Each frame in a file"), QStringLiteral("export"), this);
  addOutputs();
  buildLayout(choose);
  connect(choose, &QPushButton::clicked, this, [this] {
    QStringList filters;
    for (const ExportFormat& f : exportFormats())
      filters.push_back(QStringLiteral("%1 (*%2)").arg(said(f.name), QLatin1String(f.ending)));
    const QString path = QFileDialog::getSaveFileName(this, tr("Export to"), m_path->text(),
                                                      filters.join(QStringLiteral(";;")));
    if (path.isEmpty()) return;
    m_path->setText(path);
    m_agreed = path;
  });
  connect(m_path, &QLineEdit::textChanged, this, &ExportWindow::showOptions);
  if (m_frames) connect(m_frames, &FrameChoice::changed, this, &ExportWindow::showOptions);
  connect(m_start, &QPushButton::clicked, this, &ExportWindow::start);
  connect(m_cancel, &QPushButton::clicked, this, [this] {
    if (!isBusy()) return void(close());
    m_worker.cancel();
    finish(Failure(cancelled()));
  });
  connect(&m_worker, &Worker::progressed, this,
          [this](double share) { m_progress->setValue(static_cast<int>(share * 1000)); });
  connect(&m_worker, &Worker::failed, this,
          [this](const QString& line) { finish(fail(ProblemCode::Internal, line.toStdString())); });
  listAttributes();
  showOptions();
}

/// A box for each Output node.
void ExportWindow::addOutputs() {
  for (const Node& node : m_plan->nodes) {
    const NodeKind* kind = kindOf(node);
    if (!kind || !kind->isLayer || node.isSkipped) continue;
    auto* box = new QCheckBox(text(node.title), this);
    const auto exported = node.params.find(kind->exportedParam);
    box->setChecked(exported == node.params.end() || std::get<bool>(exported->second));
    OutputBox& entry = m_outputs.emplace_back();
    entry.uid = node.uid;
    entry.box = box;
    connect(box, &QCheckBox::toggled, this, &ExportWindow::listAttributes);
  }
}

void ExportWindow::showResults(const EvalViewPtr& view) {
  for (OutputBox& output : m_outputs) {
    output.isVolume = view->evaluation.firstOf<VolumePtr>(output.uid) != nullptr;
    if (const PointsPtr points = view->evaluation.firstOf<PointsPtr>(output.uid)) {
      output.attributes.clear();
      for (const auto& [name, column] : points->attributes) output.attributes.insert(name);
    }
  }
  listAttributes();
  showOptions();
}

void ExportWindow::buildLayout(QPushButton* choose) {
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(16, 16, 16, 16);
  grid->setVerticalSpacing(8);
  int row = 0;
  const auto section = [&](const QString& words) {
    auto* head = new QLabel(words, this);
    head->setProperty("role", QStringLiteral("section"));
    grid->addWidget(head, row++, 0, 1, 3);
  };
  section(tr("Outputs, at final quality"));
  int cell = 0;
  for (const OutputBox& output : m_outputs) {
    grid->addWidget(output.box, row + cell / 3, cell % 3);
    ++cell;
  }
  row += (cell + 2) / 3;
  if (m_outputs.empty()) {
    grid->addWidget(new QLabel(tr("The plan has no Output node yet."), this), row++, 0, 1, 3);
    m_start->setEnabled(false);
  }
  section(tr("File"));
  grid->addWidget(m_path, row, 0, 1, 2);
  grid->addWidget(choose, row++, 2);
  m_help = new QLabel(this);
  m_help->setProperty("role", QStringLiteral("quiet"));
  m_help->setWordWrap(true);
  grid->addWidget(m_help, row++, 0, 1, 3);
  if (m_frames) grid->addWidget(m_frames, row++, 0, 1, 3);
  grid->addWidget(m_gltf, row++, 0, 1, 3);
  grid->addWidget(m_usd, row++, 0, 1, 3);
  grid->addWidget(m_attributes, row++, 0, 1, 3);
  grid->addWidget(m_half, row++, 0, 1, 3);
  grid->addWidget(m_payload, row++, 0, 1, 3);
  grid->addWidget(m_bodies, row++, 0, 1, 3);
  grid->addWidget(m_covers, row++, 0, 1, 3);
  grid->addWidget(m_withoutMissing, row++, 0, 1, 3);
  grid->addWidget(m_verify, row++, 0, 1, 3);
  grid->addWidget(m_progress, row++, 0, 1, 3);
  grid->addWidget(m_message, row++, 0, 1, 3);
  grid->addWidget(m_report, row, 0, 1, 3);
  grid->setRowStretch(row++, 1);
  grid->addWidget(m_start, row, 1, Qt::AlignRight);
  grid->addWidget(m_cancel, row, 2);
  grid->setColumnStretch(0, 1);
  grid->setColumnStretch(1, 1);
}

/// What the points of the chosen outputs carry.
void ExportWindow::listAttributes() {
  std::set<std::string> names;
  for (const OutputBox& output : m_outputs)
    if (output.box->isChecked()) names.insert(output.attributes.begin(), output.attributes.end());
  m_attributes->setNames(names);
}

/// Only what the chosen format can do is shown.
void ExportWindow::showOptions() {
  const QString ending = QFileInfo(m_path->text()).suffix().toLower();
  const bool isGltf = ending == QStringLiteral("glb") || ending == QStringLiteral("gltf");
  m_gltf->setVisible(isGltf);
  const bool isVdb = ending == QStringLiteral("vdb");
  m_usd->setVisible(ending == QStringLiteral("usda"));
  m_attributes->setVisible(ending != QStringLiteral("obj") && !isVdb);
  m_half->setVisible(isVdb);
  m_payload->setVisible(
      ending == QStringLiteral("usda") &&
      std::any_of(m_plan->props.begin(), m_plan->props.end(), [](const PropEntry& p) { return p.isByReference; }));
  m_bodies->setVisible(!isVdb && breaksUp(*m_plan));
  if (m_frames) m_frames->allowOne(holdsFrames(m_path->text().toStdString()));
  const bool isInOne = m_frames && m_frames->way() == FrameChoice::Way::InOne;
  m_covers->setVisible(!isVdb && !isInOne);
  m_verify->setVisible(!isInOne);  // what moves is not read back
  m_withoutMissing->setVisible(!isVdb);
  // An output that the format does not hold cannot be chosen.
  QStringList others;
  for (const OutputBox& output : m_outputs) {
    const bool isHeld = output.isVolume == isVdb;
    output.box->setEnabled(isHeld);
    if (!isHeld) others.push_back(output.box->text());
  }
  m_help->setText(
      isGltf ? tr("glTF 2.0: the props with their materials and textures, and where they stand.")
      : ending == QStringLiteral("usda") ? tr("USD: a point instancer per output, meters, Y up, with ids.")
      : ending == QStringLiteral("csv")  ? tr("A row per placement: id, prop, output, position, quaternion, scale.")
      : ending == QStringLiteral("ply")  ? tr("A vertex per point, binary; points without a prop too.")
      : ending == QStringLiteral("obj")  ? tr("Real geometry for old pipelines; materials beside in an .mtl.")
      : isVdb                            ? tr("OpenVDB: a grid per output that is a volume, under its title.")
                                         : tr("The ending chooses the format: .glb .gltf .usda .csv .ply .obj .vdb"));
  if (others.isEmpty()) return;
  m_help->setText(m_help->text() + QLatin1Char('\n') +
                  (isVdb ? tr("Not volumes, so not in it: %1") : tr("Volumes, which only .vdb holds: %1"))
                      .arg(others.join(QStringLiteral(", "))));
}

bool ExportWindow::mayReplace() {
  if (m_frames && m_frames->way() == FrameChoice::Way::Each) return mayReplaceFrames();
  const QString path = m_path->text();
  const QString stamp = stampOf(path);
  const bool isOwn = (path == m_written && stamp == m_writtenStamp) ||
                     (!m_file.isEmpty() && Settings().exportPath(m_file) == path &&
                      Settings().exportStamp(m_file) == stamp);
  if (stamp.isEmpty() || isOwn || path == m_agreed) return true;
  QMessageBox box(QMessageBox::NoIcon, tr("There is such a file"),
                  tr("%1 was not written by this plan, or was changed since. Exporting replaces it.")
                      .arg(QDir::toNativeSeparators(path)),
                  QMessageBox::Cancel, this);
  box.setObjectName(QStringLiteral("replace_box"));
  QAbstractButton* replace = box.addButton(tr("Replace it"), QMessageBox::DestructiveRole);
  box.exec();
  return box.clickedButton() == replace;
}

bool ExportWindow::mayReplaceFrames() {
  const std::vector<int> frames = m_frames->frames();
  const auto there = std::count_if(frames.begin(), frames.end(), [this](int frame) {
    return QFileInfo::exists(FrameChoice::fileOf(m_path->text(), frame));
  });
  if (there == 0 || m_frames->isGoingOn()) return true;
  QMessageBox box(QMessageBox::NoIcon, tr("There are such files"),
                  tr("%1 of the %2 files are there already. Exporting replaces them.").arg(there).arg(frames.size()),
                  QMessageBox::Cancel, this);
  box.setObjectName(QStringLiteral("replace_box"));
  QAbstractButton* replace = box.addButton(tr("Replace them"), QMessageBox::DestructiveRole);
  box.exec();
  return box.clickedButton() == replace;
}

void ExportWindow::start() {
  std::vector<std::string> names;
  for (const OutputBox& output : m_outputs)
    if (output.box->isEnabled() && output.box->isChecked()) names.push_back(output.box->text().toStdString());
  if (names.empty()) {
    m_message->setText(tr("Choose an output first."));
    return;
  }
  if (m_frames && m_frames->way() != FrameChoice::Way::This && m_frames->frames().empty()) {
    m_message->setText(tr("The last frame comes before the first one."));
    return;
  }
  if (!mayReplace()) return;
  m_agreed.clear();
  m_path->setEnabled(false);
  m_start->setEnabled(false);
  m_cancel->setText(tr("Cancel"));
  m_progress->setValue(0);
  m_progress->show();
  m_report->hide();
  m_message->setText(tr("Evaluating at final quality…"));
  ExportOptions how;
  how.gltfWay = static_cast<GltfWay>(m_gltf->currentIndex());
  how.usdPrototypes = static_cast<UsdPrototypes>(m_usd->currentIndex());
  if (!m_attributes->isHidden()) how.attributes = m_attributes->patterns();  // hidden where the format holds none
  how.isHalf = m_half->isChecked();
  how.hasBodies = m_bodies->isChecked() && !m_bodies->isHidden();
  how.isUsdPayload = m_payload->isChecked();
  how.filesOf = [files = m_files](const std::string& file) { return files->withSides(file); };
  how.isWithoutMissing = m_withoutMissing->isChecked();
  how.isVerified = m_verify->isChecked() && !m_verify->isHidden();
  how.planName = QFileInfo(m_file).completeBaseName().toStdString();
  ExportJob job;
  job.plan = m_plan;
  job.files = m_files;
  job.outputs = std::move(names);
  job.path = m_path->text().toStdString();
  job.how = std::move(how);
  job.hasCovers = m_covers->isChecked() && !m_covers->isHidden();
  if (m_frames) {
    job.way = m_frames->way();
    job.frames = m_frames->frames();
    job.isGoingOn = m_frames->isGoingOn();
  }
  m_worker.ask([this, job](const Task& task) -> Worker::Answer {
    const auto done = exported(job, task);
    return [this, done] { finish(done); };
  });
}

void ExportWindow::finish(const Result<ExportDone>& done) {
  m_path->setEnabled(true);
  m_start->setEnabled(true);
  m_cancel->setText(tr("Close"));
  m_progress->hide();
  const QLocale locale;
  if (!done) {
    const bool isCancelled = done.error().code == ProblemCode::Cancelled;
    m_message->setText(isCancelled ? tr("Canceled; a file that was not written whole is as it was.")
                                   : QStringLiteral("! ") + lineOf(done.error()));
    return;
  }
  const ExportReport* report = &done->report;
  m_written = m_path->text();
  m_writtenStamp = stampOf(m_written);
  if (!m_file.isEmpty()) Settings().setExport(m_file, m_written, m_writtenStamp);
  const auto number = [&](std::size_t n) { return locale.toString(static_cast<qulonglong>(n)); };
  const QString what = report->volumes == 1  ? tr("1 volume")
                       : report->volumes > 1 ? tr("%1 volumes").arg(number(report->volumes))
                                             : tr("%1 placements, %2 triangles in all")
                                                   .arg(number(report->placements),
                                                        locale.toString(static_cast<qulonglong>(report->triangles)));
  m_message->setText(tr("%1, written to %2 (%3)")
                         .arg(what, QFileInfo(m_path->text()).fileName(),
                              locale.formattedDataSize(static_cast<qint64>(report->bytes))));
  if (m_frames && m_frames->way() != FrameChoice::Way::This) {
    const QString counts = done->fewest == done->most
                               ? tr("%1 placements").arg(number(done->most))
                               : tr("%1 to %2 placements").arg(number(done->fewest), number(done->most));
    QString words = tr("%1 frames of %2, %3")
                        .arg(number(done->frames), counts,
                             locale.formattedDataSize(static_cast<qint64>(report->bytes)));
    if (done->there > 0) words += tr("; %1 were there and stayed").arg(number(done->there));
    m_message->setText(done->frames == 0 ? tr("All of these frames are there already.") : words);
  }
  m_report->clear();
  if (report->verifySeconds) {
    const bool isRight = report->faults.empty();
    auto* top = new QTreeWidgetItem(
        m_report, {isRight ? (report->volumes > 0 ? tr("Read back: names, places and every value agree")
                                                  : tr("Read back: counts, names, bounds and colors agree"))
                           : QStringLiteral("! ") + tr("Read back: the file is not what was asked for"),
                   tr("%1 s").arg(locale.toString(*report->verifySeconds, 'f', 1))});
    top->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    if (!isRight) top->setForeground(0, Theme::current().trouble);
    for (const std::string& fault : report->faults) {
      auto* item = new QTreeWidgetItem(top, {said(fault), QString()});
      item->setToolTip(0, said(fault));
    }
    top->setExpanded(true);
  }
  const auto group = [&](const QString& name, const auto& counts) {
    if (counts.empty()) return;
    auto* top = new QTreeWidgetItem(m_report, {name, QString()});
    for (const auto& [key, count] : counts) {
      auto* item = new QTreeWidgetItem(top, {text(key), number(count)});
      item->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    }
    top->setExpanded(true);
  };
  if (!report->warnings.empty()) {
    auto* top = new QTreeWidgetItem(m_report, {tr("Warnings"), number(report->warnings.size())});
    top->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    for (const Problem& p : report->warnings) {
      auto* item = new QTreeWidgetItem(top, {QStringLiteral("! ") + lineOf(p), QString()});
      item->setToolTip(0, lineOf(p));
      item->setForeground(0, Theme::current().warning);
    }
    top->setExpanded(report->warnings.size() < 4);
  }
  group(tr("By output"), report->perLayer);
  group(tr("By prop"), report->perProp);
  auto* files = new QTreeWidgetItem(m_report, {tr("Files"), number(report->files.size())});
  files->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
  for (const std::string& file : report->files)
    new QTreeWidgetItem(files, {QFileInfo(text(file)).fileName(), QString()});
  files->setExpanded(report->files.size() < 6);
  m_report->show();
  if (height() < 640) resize(width(), 640);  // the report wants room
}

}  // namespace arvesk
