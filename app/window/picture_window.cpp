#include "app/window/picture_window.h"

#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLocale>
#include <QMessageBox>
#include <QProgressBar>
#include <QPushButton>
#include <QRegularExpression>
#include <QSaveFile>
#include <QSpinBox>
#include <QToolButton>
#include "app/model/words.h"
#include "app/window/frame_choice.h"
#include "core/deliver/delivery.h"

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kNow = -1;
constexpr int kAll = -2;

/// A camera's name as part of a file name.
QString fileWord(const QString& name) {
  QString word = name.toLower();
  word.replace(QRegularExpression(QStringLiteral("[^\\p{L}\\p{N}]+")), QStringLiteral("-"));
  return word.isEmpty() ? QStringLiteral("camera") : word;
}

}  // namespace

PictureWindow::PictureWindow(RenderRequest site, QString folder, QString stem, QWidget* parent)
    : QDialog(parent),
      m_site(std::move(site)),
      m_folder(std::move(folder)),
      m_stem(std::move(stem)),
      m_camera(new QComboBox(this)),
      m_width(new QSpinBox(this)),
      m_height(new QSpinBox(this)),
      m_samples(new QSpinBox(this)),
      m_lens(new QComboBox(this)),
      m_focus(new QDoubleSpinBox(this)),
      m_progress(new QProgressBar(this)),
      m_message(new QLabel(this)),
      m_save(new QPushButton(tr("Save…"), this)),
      m_cancel(new QPushButton(tr("Close"), this)) {
  setObjectName(QStringLiteral("picture_window"));
  setWindowTitle(tr("Save picture"));
  setAttribute(Qt::WA_DeleteOnClose);
  m_camera->setObjectName(QStringLiteral("picture_camera"));
  m_camera->addItem(tr("As Site looks now"), kNow);
  const std::vector<CameraEntry>& kept = m_site.view->plan->settings.cameras;
  for (std::size_t i = 0; i < kept.size(); ++i) m_camera->addItem(text(kept[i].name), static_cast<int>(i));
  if (kept.size() > 1) m_camera->addItem(tr("All %1 cameras, a file each").arg(kept.size()), kAll);
  const auto pixels = [](QSpinBox* box, const char* name, int value) {
    box->setObjectName(QLatin1String(name));
    box->setRange(16, 16384);
    box->setSuffix(tr(" px"));
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setValue(value);
  };
  pixels(m_width, "picture_width", m_site.width);
  pixels(m_height, "picture_height", m_site.height);
  m_samples->setObjectName(QStringLiteral("picture_samples"));
  m_samples->setRange(1, 4096);
  m_samples->setButtonSymbols(QAbstractSpinBox::NoButtons);
  m_samples->setValue(64);
  m_samples->setToolTip(tr("Per pixel; twice as many take twice as long and show less grain"));
  m_lens->setObjectName(QStringLiteral("picture_lens"));
  m_lens->setAccessibleName(tr("Aperture"));
  m_lens->addItem(tr("Everything sharp"), 0.0);
  for (const double f : {16.0, 8.0, 4.0, 2.8, 1.4}) m_lens->addItem(QStringLiteral("f/%1").arg(f), f);
  m_lens->setToolTip(tr("The smaller the number, the more blurs what lies before and behind"));
  m_focus->setObjectName(QStringLiteral("picture_focus"));
  m_focus->setAccessibleName(tr("Sharp at"));
  m_focus->setRange(0, 10'000);
  m_focus->setDecimals(2);
  m_focus->setSuffix(tr(" m"));
  m_focus->setSpecialValueText(tr("what is in the middle"));
  m_focus->setButtonSymbols(QAbstractSpinBox::NoButtons);
  m_focus->setToolTip(tr("Along the view from the camera; 0 m is what stands in the middle of the picture"));
  m_focus->setEnabled(false);
  connect(m_lens, &QComboBox::currentIndexChanged, m_focus, [this](int i) { m_focus->setEnabled(i > 0); });
  auto* depth = new QHBoxLayout;
  depth->addWidget(m_lens);
  depth->addWidget(new QLabel(tr("sharp at"), this));
  depth->addWidget(m_focus, 1);
  auto* size = new QHBoxLayout;
  size->addWidget(m_width);
  size->addWidget(new QLabel(QStringLiteral("×"), this));
  size->addWidget(m_height);
  for (const QSize& usual : {QSize(1920, 1080), QSize(3840, 2160)}) {
    auto* b = new QToolButton(this);
    b->setText(QStringLiteral("%1 × %2").arg(usual.width()).arg(usual.height()));
    connect(b, &QToolButton::clicked, this, [this, usual] {
      m_width->setValue(usual.width());
      m_height->setValue(usual.height());
    });
    size->addWidget(b);
  }
  size->addStretch(1);
  auto* form = new QFormLayout(this);
  form->addRow(tr("Camera"), m_camera);
  form->addRow(tr("Size"), size);
  form->addRow(tr("Samples"), m_samples);
  form->addRow(tr("Depth of field"), depth);
  const QLocale locale;
  const QString count = locale.toString(static_cast<qulonglong>(m_site.view->totals.placements));
  form->addRow(tr("Shows"), new QLabel(m_site.view->quality == Quality::Draft
                                           ? tr("%1 placements of the draft; choose Final for all").arg(count)
                                           : tr("all %1 placements").arg(count),
                                       this));
  m_progress->setRange(0, 1000);
  m_progress->setObjectName(QStringLiteral("picture_progress"));
  m_progress->hide();
  m_message->setObjectName(QStringLiteral("picture_message"));
  m_message->setWordWrap(true);
  m_save->setObjectName(QStringLiteral("picture_save"));
  m_cancel->setObjectName(QStringLiteral("picture_cancel"));
  auto* buttons = new QHBoxLayout;
  buttons->addWidget(m_progress, 1);
  buttons->addStretch(1);
  buttons->addWidget(m_save);
  buttons->addWidget(m_cancel);
  form->addRow(m_message);
  form->addRow(buttons);
  connect(m_save, &QPushButton::clicked, this, &PictureWindow::save);
  connect(&m_worker, &Worker::progressed, this, [this](double share) {
    if (!m_shots.empty())
      m_progress->setValue(
          static_cast<int>((static_cast<double>(m_done) + share) / static_cast<double>(m_shots.size()) * 1000));
  });
  connect(&m_worker, &Worker::failed, this, [this](const QString& line) { end(QStringLiteral("! ") + line); });
  connect(m_cancel, &QPushButton::clicked, this, [this] {
    if (m_shots.empty()) return reject();
    m_worker.cancel();
    end(m_done == 0 ? tr("Canceled; nothing was written.")
                    : tr("Canceled; %1 of %2 pictures were written.").arg(m_done).arg(m_shots.size()));
  });
}

void PictureWindow::offerFrames(ViewAt viewAt) {
  const auto& time = m_site.view->plan->settings.time;
  if (!time) return;
  m_viewAt = std::move(viewAt);
  m_frames = new FrameChoice(*time, tr("A picture of each frame"), QStringLiteral("picture"), this);
  static_cast<QFormLayout*>(layout())->insertRow(1, tr("Frames"), m_frames);
}

bool PictureWindow::mayWriteOver(const std::vector<Shot>& all) {
  const auto there = std::count_if(all.begin(), all.end(), [](const Shot& s) { return QFileInfo::exists(s.file); });
  return there == 0 || QMessageBox::question(
                           this, tr("Save picture"),
                           tr("%1 of the %2 files are there already. Write over them?").arg(there).arg(all.size())) ==
                           QMessageBox::Yes;
}

/// The same pictures of each frame: its number stands before the ending. Frames come first, so that each is worked out
/// once.
std::vector<PictureWindow::Shot> PictureWindow::framesOf(const std::vector<Shot>& shots) {
  std::vector<Shot> all;
  for (const int frame : m_frames->frames())
    for (const Shot& shot : shots) {
      Shot one = shot;
      one.file = FrameChoice::fileOf(shot.file, frame);
      one.frame = frame;
      if (!m_frames->isGoingOn() || !QFileInfo::exists(one.file)) all.push_back(std::move(one));
    }
  if (!mayWriteOver(all)) return {};
  if (all.empty()) m_message->setText(tr("All of these frames are there already."));
  return all;
}

/// The lens that is chosen, for that camera.
Camera::Lens PictureWindow::lensOf(const Camera& camera) const {
  const auto fNumber = static_cast<float>(m_lens->currentData().toDouble());
  if (fNumber <= 0) return {};
  auto focus = static_cast<float>(m_focus->value());
  if (focus <= 0) {
    const Vec3 ahead = directionOr(camera.target - camera.eye, Vec3(0, 0, -1));
    const Cut* cut = m_site.cut ? &*m_site.cut : nullptr;
    const PictureRayHit hit = m_site.view->scene->first(camera.eye, ahead, cut);
    focus = hit.isHit() ? hit.distance : 1e4F;
  }
  return {camera.radiusOfLens(fNumber), focus};
}

/// What is to be drawn and where it goes; nothing when the dialog was left.
std::vector<PictureWindow::Shot> PictureWindow::shots() {
  const int which = m_camera->currentData().toInt();
  const std::vector<CameraEntry>& kept = m_site.view->plan->settings.cameras;
  const QString suggested = QDir(m_folder).filePath(m_stem + QStringLiteral(".png"));
  QString path = QFileDialog::getSaveFileName(this, tr("Save picture"), suggested, tr("PNG (*.png)"));
  if (path.isEmpty()) return {};
  if (QFileInfo(path).suffix().isEmpty()) path += QStringLiteral(".png");
  if (which == kNow) return {{m_site.camera, path}};
  if (which >= 0) return {{cameraFrom(kept[static_cast<std::size_t>(which)]), path}};
  std::vector<Shot> all;
  QStringList names;
  const QFileInfo info(path);
  for (const CameraEntry& c : kept) {
    QString word = fileWord(text(c.name));
    for (int n = 2; names.contains(word); ++n) word = QStringLiteral("%1-%2").arg(fileWord(text(c.name))).arg(n);
    names << word;
    all.push_back({cameraFrom(c), info.dir().filePath(QStringLiteral("%1-%2.png").arg(info.completeBaseName(), word))});
  }
  // The file dialog asked about the name that was typed, not about these.
  if (!mayWriteOver(all)) return {};
  return all;
}

void PictureWindow::save() {
  m_message->clear();
  m_shots = shots();
  if (m_frames && m_frames->way() == FrameChoice::Way::Each && !m_shots.empty()) m_shots = framesOf(m_shots);
  if (m_shots.empty()) return;
  m_done = 0;
  m_save->setEnabled(false);
  m_cancel->setText(tr("Cancel"));
  m_progress->setValue(0);
  m_progress->show();
  drawNext();
}

void PictureWindow::drawNext() {
  if (m_done >= m_shots.size()) {
    QStringList files;
    for (const Shot& s : m_shots) files << QDir::toNativeSeparators(s.file);
    const QString words = files.size() == 1
                              ? tr("Saved %1").arg(files.first())
                              : tr("Saved %1 pictures, the last one %2").arg(files.size()).arg(files.last());
    end(words);
    Q_EMIT saved(files);
    return;
  }
  RenderRequest request = m_site;
  request.camera = m_shots[m_done].camera;
  request.camera.lens = lensOf(request.camera);
  request.width = m_width->value();
  request.height = m_height->value();
  request.dotPixels *= static_cast<float>(request.height) / static_cast<float>(std::max(1, m_site.height));
  request.samples = m_samples->value();
  m_worker.ask([this, request, file = m_shots[m_done].file, frame = m_shots[m_done].frame,
                viewAt = m_viewAt](const Task& task) mutable -> Worker::Answer {
    if (frame) {
      const EvalViewPtr view = viewAt(*frame, {task.stop, {}});
      if (!view) return {};
      if (!view->scene) return [this, frame] { end(tr("! there is nothing to be seen at frame %1").arg(*frame)); };
      request.view = view;
    }
    const auto film = tracedFilm(*request.view->scene, request.camera, request.width, request.height, request.samples,
                                 task, request.cut);
    if (!film) return {};
    QSaveFile out(file);
    QString trouble;
    if (!out.open(QIODevice::WriteOnly) || !developed(request, *film).save(&out, "PNG") || !out.commit())
      trouble = tr("! %1 could not be written: %2").arg(QDir::toNativeSeparators(file), out.errorString());
    return [this, trouble] {
      if (!trouble.isEmpty()) return end(trouble);
      ++m_done;
      drawNext();
    };
  });
}

void PictureWindow::end(const QString& words) {
  m_shots.clear();
  m_progress->hide();
  m_save->setEnabled(true);
  m_cancel->setText(tr("Close"));
  m_message->setText(words);
}

}  // namespace arvesk
