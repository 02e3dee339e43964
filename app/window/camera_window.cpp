#include "app/window/camera_window.h"

#include "app/model/render_service.h"
#include "app/model/words.h"
#include "core/deliver/delivery.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QToolButton>
#include <QVBoxLayout>

namespace arvesk {
namespace {

constexpr QSize kPicture(192, 120);
constexpr int kSamples = 3;  // a look, not a picture to keep

}  // namespace

CameraEntry entryOf(const Camera& camera, const std::string& name, const std::optional<CameraEntry::Sun>& sun) {
  CameraEntry entry{name, camera.eye, camera.target, camera.fieldOfViewDeg};
  entry.sun = sun;
  return entry;
}

CameraWindow::CameraWindow(PlanModel* model, EvaluationService* service, std::function<Camera()> now, QWidget* parent)
    : QDialog(parent), m_model(model), m_service(service), m_now(std::move(now)), m_list(new QListWidget(this)) {
  setObjectName(QStringLiteral("camera_window"));
  setWindowTitle(tr("Cameras"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(460, 560);
  m_list->setObjectName(QStringLiteral("cameras"));
  m_list->setAccessibleName(tr("Cameras"));
  m_list->setIconSize(kPicture);
  m_list->setSpacing(3);
  m_list->setEditTriggers(QAbstractItemView::EditKeyPressed | QAbstractItemView::SelectedClicked);
  auto* hint = new QLabel(tr("Double-click or Enter goes there · F2 renames · keys 1 to 9 in Site"), this);
  hint->setProperty("role", QStringLiteral("quiet"));
  auto* buttons = new QHBoxLayout;
  const auto add = [&](const QString& words, const char* name, const std::function<void()>& what) {
    auto* b = new QToolButton(this);
    b->setText(words);
    b->setObjectName(QLatin1String(name));
    connect(b, &QToolButton::clicked, this, what);
    buttons->addWidget(b);
    m_buttons.push_back(b);
  };
  add(tr("Go there"), "camera_go", [this] { Q_EMIT cameraWanted(row()); });
  add(tr("Set to this view"), "camera_renew", [this] {
    edit(tr("Set camera"), [this](std::vector<CameraEntry>& all, std::size_t at) {
      all[at] = entryOf(m_now(), all[at].name, all[at].sun);
    });
  });
  add(tr("Up"), "camera_up", [this] { move(-1); });
  add(tr("Down"), "camera_down", [this] { move(1); });
  add(tr("Remove"), "camera_remove", [this] {
    edit(tr("Remove camera"), [](std::vector<CameraEntry>& all, std::size_t at) {
      all.erase(all.begin() + static_cast<std::ptrdiff_t>(at));
    });
  });
  buttons->addStretch(1);
  auto* column = new QVBoxLayout(this);
  column->addWidget(m_list, 1);
  column->addWidget(hint);
  column->addLayout(buttons);
  connect(m_list, &QListWidget::itemDoubleClicked, this, [this] { Q_EMIT cameraWanted(row()); });
  connect(m_list, &QListWidget::currentRowChanged, this, [this] {
    for (QToolButton* b : m_buttons) b->setEnabled(row() >= 0);
  });
  connect(m_list, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
    const int at = m_list->row(item);
    const std::string name = item->text().trimmed().toStdString();
    if (at < 0 || at >= static_cast<int>(m_shown.size()) || name == m_shown[static_cast<std::size_t>(at)].name) return;
    if (name.empty()) return refresh();
    m_list->setCurrentRow(at);
    edit(tr("Rename camera"), [&](std::vector<CameraEntry>& all, std::size_t i) { all[i].name = name; });
  });
  connect(m_model, &PlanModel::changed, this, &CameraWindow::refresh);
  connect(m_service, &EvaluationService::finished, this, &CameraWindow::drawNext);
  refresh();
}

int CameraWindow::row() const { return m_list->currentRow(); }

void CameraWindow::edit(const QString& words,
                        const std::function<void(std::vector<CameraEntry>&, std::size_t)>& change) {
  const int at = row();
  if (at < 0 || at >= static_cast<int>(m_model->plan().settings.cameras.size())) return;
  m_model->edit(words, [&](Plan& plan) { change(plan.settings.cameras, static_cast<std::size_t>(at)); });
}

void CameraWindow::move(int by) {
  const int at = row();
  const int to = at + by;
  if (to < 0 || to >= m_list->count()) return;
  edit(tr("Order cameras"),
       [to](std::vector<CameraEntry>& all, std::size_t i) { std::swap(all[i], all[static_cast<std::size_t>(to)]); });
  m_list->setCurrentRow(to);
}

void CameraWindow::refresh() {
  const std::vector<CameraEntry>& now = m_model->plan().settings.cameras;
  if (now == m_shown && m_list->count() == static_cast<int>(now.size())) return;
  m_shown = now;
  const int at = row();
  const QSignalBlocker quiet(m_list);
  m_list->clear();
  for (const CameraEntry& c : now) {
    auto* item = new QListWidgetItem(text(c.name), m_list);
    item->setFlags(item->flags() | Qt::ItemIsEditable);
    item->setToolTip(c.sun ? tr("With a light of its own") : QString());
    QPixmap blank(kPicture);
    blank.fill(palette().color(QPalette::Mid));
    item->setIcon(QIcon(blank));
  }
  m_list->setCurrentRow(std::min(std::max(at, 0), m_list->count() - 1));
  for (QToolButton* b : m_buttons) b->setEnabled(row() >= 0);
  m_drawn.clear();
  drawNext();
}

/// One picture after the other, of what Site shows now.
void CameraWindow::drawNext() {
  const EvalViewPtr view = m_service->latest();
  if (!view || !view->scene) return;
  if (view->scene != m_scene) m_drawn.clear();
  m_scene = view->scene;
  const std::size_t at = m_drawn.size();
  if (at >= m_shown.size()) return;
  RenderRequest request;
  request.view = view;
  request.camera = cameraFrom(m_shown[at]);
  m_worker.ask([this, request, entry = m_shown[at], at](const Task& task) -> Worker::Answer {
    const auto film = tracedFilm(*request.view->scene, request.camera, kPicture.width(), kPicture.height(), kSamples,
                                 task, {}, 1);
    if (!film) return {};
    const QImage image = developed(request, *film);
    return [this, image, entry, at] {
      if (at != m_drawn.size() || at >= m_shown.size() || m_shown[at] != entry) return;
      const QSignalBlocker quiet(m_list);
      m_list->item(static_cast<int>(at))->setIcon(QIcon(QPixmap::fromImage(image)));
      m_drawn.push_back(entry);
      drawNext();
    };
  });
}

void CameraWindow::keyPressEvent(QKeyEvent* event) {
  if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && m_list->hasFocus()) {
    Q_EMIT cameraWanted(row());
    return;
  }
  if (event->key() == Qt::Key_Delete && m_list->hasFocus()) {
    edit(tr("Remove camera"), [](std::vector<CameraEntry>& all, std::size_t at) {
      all.erase(all.begin() + static_cast<std::ptrdiff_t>(at));
    });
    return;
  }
  QDialog::keyPressEvent(event);
}

}  // namespace arvesk
