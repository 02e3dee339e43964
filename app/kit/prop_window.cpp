#include "app/kit/prop_window.h"

#include "app/model/words.h"
#include "app/window/theme.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QShortcut>
#include <QTableWidget>
#include <QVBoxLayout>

namespace arvesk {
namespace {

/// The surface in the colors of one vertex attribute, from its least to its greatest value.
SurfacePtr coloredBy(const Surface& s, const Column<float>& values) {
  float least = std::numeric_limits<float>::max();
  float most = std::numeric_limits<float>::lowest();
  for (std::size_t v = 0; v < s.positions.size(); ++v) {
    least = std::min(least, values[v]);
    most = std::max(most, values[v]);
  }
  Surface out = s;
  out.materials.clear();
  out.faceMaterials.clear();
  Array<Vec4> colors(s.positions.size());
  for (std::size_t v = 0; v < s.positions.size(); ++v) {
    const Vec3 c = scaleColor(most > least ? (values[v] - least) / (most - least) : 0.5F);
    colors[v] = Vec4(c * c, 1);  // to linear light, about
  }
  out.colors = std::move(colors);
  return std::make_shared<const Surface>(std::move(out));
}

/// How long the axes of mount points of size 1 are shown, m.
float reachOfMounts(const Prop& prop) { return 0.18F * std::max(prop.footprint, prop.height); }

constexpr int kColumns = 8;

}  // namespace

PropPicture::PropPicture(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("prop_picture"));
  setAccessibleName(tr("Picture of the prop"));
  setMinimumSize(320, 280);
  setCursor(Qt::CrossCursor);
  connect(&m_renderer, &RenderService::frameReady, this, qOverload<>(&QWidget::update));
}

void PropPicture::show(const PropPtr& prop, std::function<SurfacePtr()> surfaceOf) {
  m_prop = prop;
  const QColor ground = Theme::current().paper;
  const Vec3 background(static_cast<float>(ground.redF()), static_cast<float>(ground.greenF()),
                        static_cast<float>(ground.blueF()));
  m_building.ask([this, prop, surfaceOf = std::move(surfaceOf), background](const Task& task) -> std::function<void()> {
    auto shown = std::make_shared<Prop>(*prop);
    shown->surface = surfaceOf();
    shown->massing.isShown = false;
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({shown, 1});
    Points one;
    one.count = 1;
    one.kit = kit;
    one.prop = Column<std::int32_t>(0);
    PictureInput input;
    input.light.hasSky = false;
    input.light.background = background;
    input.layers.push_back({std::make_shared<const Points>(std::move(one))});
    input.grounds.push_back(frontArrowOf(shown->surface->bounds()));
    const auto scene = PictureScene::build(std::move(input), task);
    if (!scene) return {};
    auto view = std::make_shared<EvalView>();
    view->scene = *scene;
    return [this, view, box = shown->surface->bounds()] {
      if (!m_view) {
        Camera looking;
        looking.eye = {0.8F, 0.55F, 1};
        looking.fieldOfViewDeg = 32;
        m_camera = cameraFitting(box, looking);
      }
      m_view = view;
      request();
    };
  });
}

void PropPicture::request() {
  RenderRequest r;
  r.view = m_view;
  r.camera = m_camera;
  r.width = static_cast<int>(width() * devicePixelRatioF());
  r.height = static_cast<int>(height() * devicePixelRatioF());
  m_renderer.request(r);
  update();
}

QPointF PropPicture::project(const Vec3& place) const {
  const Vec3 at = m_camera.projected(place, width(), height());
  return {static_cast<double>(at.x), static_cast<double>(at.y)};
}

void PropPicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), Theme::current().paper);
  if (!m_renderer.latest().image.isNull()) p.drawImage(rect(), m_renderer.latest().image);
  p.setRenderHint(QPainter::Antialiasing);
  if (!m_view) return;
  const float reach = reachOfMounts(*m_prop);
  for (std::size_t i = 0; i < m_prop->mounts.size(); ++i) {
    const SceneNode& m = m_prop->mounts[i];
    const QPointF at = project(m.position);
    const bool isCurrent = static_cast<int>(i) == m_current;
    if (isCurrent && m_handles.isTaken()) continue;  // as its handles have it
    const QColor ink = isCurrent ? Theme::current().accent : Theme::current().ink;
    p.setPen(QPen(ink, isCurrent ? 2 : 1.2));
    p.drawLine(at, project(m.position + m.turn * kUp * (reach * std::abs(m.size.y))));
    p.setBrush(Theme::current().card);
    p.drawEllipse(at, 4, 4);
    p.setPen(ink);
    p.drawText(at + QPointF(8, 4), text(m.name));
  }
  m_handles.paint(p, [this](const Vec3& place) { return project(place); });
  if (!m_handles.isTaken()) return;
  p.setPen(Theme::current().accent);
  p.drawText(project(m_handles.now().position) + QPointF(12, 16), text(m_handles.now().name));
}

void PropPicture::handle(const std::optional<MountEntry>& mount) {
  if (mount && m_prop)
    m_handles.take(*mount, reachOfMounts(*m_prop));
  else
    m_handles.leave();
  update();
}

Vec3 PropPicture::rayThrough(const QPointF& at) const {
  return m_camera.direction(static_cast<float>(at.x() / width()), static_cast<float>(at.y() / height()),
                            static_cast<float>(width()) / static_cast<float>(height()));
}

/// Place and normal of what is seen there of the prop.
std::optional<std::pair<Vec3, Vec3>> PropPicture::onMesh(const QPointF& at) const {
  if (!m_view || !m_view->scene) return std::nullopt;
  const Vec3 d = rayThrough(at);
  const PictureRayHit hit = m_view->scene->first(m_camera.eye, d);
  if (!hit.isHit() || m_view->scene->instance(hit.instance).layer == kGround) return std::nullopt;  // or on its arrow
  const Surface& s = m_view->scene->shape(m_view->scene->instance(hit.instance).shape);
  Vec3 normal = s.normalAt(hit.face, hit.weights);
  if (glm::dot(normal, d) > 0) normal = -normal;  // a leaf clicked from below
  return std::pair(m_camera.eye + d * hit.distance, normal);
}

MountHandles::Pointer PropPicture::pointerAt(const QPointF& at) const {
  MountHandles::Pointer out{m_camera.eye, rayThrough(at)};
  if (const auto hit = onMesh(at)) out.onMesh = hit->first;
  return out;
}

void PropPicture::resizeEvent(QResizeEvent*) { request(); }

void PropPicture::mousePressEvent(QMouseEvent* event) {
  m_pressed = m_last = event->position();
  const auto handle = m_handles.at(m_pressed, [this](const Vec3& place) { return project(place); });
  if (event->button() == Qt::LeftButton && handle != MountHandles::Handle::None)
    m_handles.press(handle, pointerAt(m_pressed));
}

void PropPicture::mouseMoveEvent(QMouseEvent* event) {
  const QPointF by = event->position() - m_last;
  m_last = event->position();
  if (QLineF(m_pressed, event->position()).length() < 4) return;
  if (m_handles.isDragging()) {
    m_handles.drag(pointerAt(event->position()));
    update();
    return;
  }
  Vec3 right, up, ahead;
  m_camera.basis(right, up, ahead);
  const float now = std::asin(std::clamp(ahead.y, -1.0F, 1.0F));
  const float pitch = std::clamp(now - static_cast<float>(by.y()) * 0.008F, -1.5F, 1.2F) - now;
  const Quat both = glm::angleAxis(static_cast<float>(-by.x()) * 0.008F, kUp) * glm::angleAxis(pitch, right);
  m_camera.eye = m_camera.target + both * (m_camera.eye - m_camera.target);
  request();
}

void PropPicture::mouseReleaseEvent(QMouseEvent* event) {
  const bool isClick = QLineF(m_pressed, event->position()).length() < 4;
  if (m_handles.isDragging()) {
    m_handles.release();
    if (!isClick) Q_EMIT mountEdited(m_handles.now());
    return;
  }
  if (!isClick || event->button() != Qt::LeftButton) return;
  if (const auto hit = onMesh(event->position())) Q_EMIT clicked(hit->first, hit->second);
}

void PropPicture::wheelEvent(QWheelEvent* event) {
  m_camera.eye = m_camera.target + (m_camera.eye - m_camera.target) *
                                       std::pow(0.85F, static_cast<float>(event->angleDelta().y()) / 120.0F);
  request();
}

PropWindow::PropWindow(PlanModel* model, EvaluationService* service, const std::string& uid, QWidget* parent)
    : QWidget(parent, Qt::Window),
      m_model(model),
      m_service(service),
      m_uid(uid),
      m_picture(new PropPicture(this)),
      m_shows(new QComboBox(this)),
      m_table(new QTableWidget(0, kColumns, this)),
      m_hint(new QLabel(this)) {
  setObjectName(QStringLiteral("prop_window"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(760, 600);
  m_shows->setObjectName(QStringLiteral("prop_shows"));
  m_shows->setAccessibleName(tr("What is shown"));
  m_table->setObjectName(QStringLiteral("mount_table"));
  m_table->setAccessibleName(tr("Mount points"));
  m_table->setHorizontalHeaderLabels({tr("Mount point"), tr("x, m"), tr("y, m"), tr("z, m"), tr("turn x, °"),
                                      tr("turn y, °"), tr("turn z, °"), tr("size")});
  m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  for (int c = 1; c < kColumns; ++c) m_table->setColumnWidth(c, 68);
  m_table->verticalHeader()->hide();
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setShowGrid(false);
  m_table->setMaximumHeight(190);
  m_hint->setText(
      tr("Click the prop to set a mount point there; handles move, lean, turn and size the chosen one · drag turns the "
         "prop, wheel zooms"));
  m_hint->setWordWrap(true);
  m_hint->setProperty("role", QStringLiteral("quiet"));
  auto* remove = new QPushButton(tr("Remove mount point"), this);
  remove->setObjectName(QStringLiteral("mount_remove"));
  auto* head = new QHBoxLayout;
  head->addWidget(m_hint, 1);
  head->addWidget(m_shows);
  auto* foot = new QHBoxLayout;
  foot->addStretch(1);
  foot->addWidget(remove);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 16, 12);
  column->addLayout(head);
  column->addWidget(m_picture, 1);
  column->addWidget(m_table);
  column->addLayout(foot);
  connect(m_picture, &PropPicture::clicked, this, [this](const Vec3& place, const Vec3& normal) {
    const glm::vec3 angles = glm::degrees(glm::eulerAngles(shortestTurn(kUp, normal)));
    m_isNewWanted = true;
    edit(tr("Set mount point"), [&](PropEntry& p) {
      p.mounts.push_back({"mount_" + std::to_string(p.mounts.size() + 1), place, angles});
    });
  });
  connect(m_table, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (m_isFilling) return;
    const int hand = item->row() - fromFile();
    if (hand < 0) return;
    const QString value = item->text();
    edit(tr("Mount point"), [&](PropEntry& p) {
      MountEntry& m = p.mounts[static_cast<std::size_t>(hand)];
      bool isNumber = false;
      const float number = value.toFloat(&isNumber);
      if (item->column() == 0 && !value.trimmed().isEmpty())
        m.name = value.trimmed().toStdString();
      else if (isNumber && item->column() <= 3)
        m.position[item->column() - 1] = number;
      else if (isNumber && item->column() == 7 && number > 0)
        m.size = static_cast<double>(number);
      else if (isNumber && item->column() > 3 && item->column() < 7)
        m.turnDeg[item->column() - 4] = number;
    });
    fillTable();
  });
  connect(m_table, &QTableWidget::currentCellChanged, this, [this](int row) {
    m_picture->setCurrent(row);
    handleCurrent();
  });
  connect(m_picture, &PropPicture::mountEdited, this, [this](const MountEntry& mount) {
    const int hand = m_table->currentRow() - fromFile();
    const PropEntry* entry = m_model->plan().findProp(m_uid);
    if (!entry || hand < 0 || hand >= static_cast<int>(entry->mounts.size())) return;
    edit(tr("Mount point"), [&](PropEntry& p) {
      MountEntry& m = p.mounts[static_cast<std::size_t>(hand)];
      m.position = mount.position;
      m.turnDeg = mount.turnDeg;
      m.size = mount.size;
    });
  });
  connect(remove, &QPushButton::clicked, this, [this] {
    const int hand = m_table->currentRow() - fromFile();
    if (hand < 0) {
      m_hint->setText(m_table->currentRow() < 0 ? tr("Choose a mount point in the table first")
                                                : tr("This one is a node of the file; take it out there"));
      return;
    }
    edit(tr("Remove mount point"), [hand](PropEntry& p) { p.mounts.erase(p.mounts.begin() + hand); });
  });
  connect(new QShortcut(QKeySequence::Undo, this), &QShortcut::activated, this, [this] { m_model->undo(); });
  connect(new QShortcut(QKeySequence::Redo, this), &QShortcut::activated, this, [this] { m_model->redo(); });
  connect(new QShortcut(Qt::Key_Escape, this), &QShortcut::activated, this, &QWidget::close);
  connect(m_shows, &QComboBox::activated, this, &PropWindow::refresh);
  connect(m_service, &EvaluationService::finished, this, &PropWindow::refresh);
  refresh();
}

void PropWindow::handleCurrent() {
  const int hand = m_table->currentRow() - fromFile();
  const PropEntry* entry = m_model->plan().findProp(m_uid);
  const bool isByHand = entry && hand >= 0 && hand < static_cast<int>(entry->mounts.size());
  m_picture->handle(isByHand ? std::optional(entry->mounts[static_cast<std::size_t>(hand)]) : std::nullopt);
}

int PropWindow::fromFile() const {
  const PropEntry* entry = m_model->plan().findProp(m_uid);
  return m_prop && entry ? static_cast<int>(m_prop->mounts.size()) - static_cast<int>(entry->mounts.size()) : 0;
}

void PropWindow::edit(const QString& words, const std::function<void(PropEntry&)>& change) {
  m_model->edit(words, [&](Plan& plan) {
    for (PropEntry& p : plan.props)
      if (p.uid == m_uid) change(p);
  });
}

void PropWindow::refresh() {
  const EvalViewPtr view = m_service->latest();
  const PropEntry* entry = m_model->plan().findProp(m_uid);
  if (!view || !entry) {
    if (!entry) close();
    return;
  }
  const auto it = std::find_if(view->props.begin(), view->props.end(),
                               [&](const PropPtr& p) { return p->uid == m_uid; });
  if (it == view->props.end() || (*it)->isMissing) return;
  m_prop = *it;
  setWindowTitle(text(m_prop->name));
  const QString was = m_shows->currentData().toString();
  m_shows->clear();
  m_shows->addItem(tr("As made"), QString());
  m_shows->addItem(tr("Massing"), QStringLiteral("massing"));
  for (const auto& [name, column] : m_prop->surface->vertexAttributes)
    if (std::holds_alternative<Column<float>>(column)) m_shows->addItem(text(name), QStringLiteral("a:") + text(name));
  m_shows->setCurrentIndex(std::max(0, m_shows->findData(was)));
  m_picture->show(m_prop, [prop = m_prop, shows = m_shows->currentData().toString()] {
    if (shows == QStringLiteral("massing")) return massingOf(*prop);
    if (shows.startsWith(QStringLiteral("a:")))
      if (const auto* values = columnOf<Column<float>>(prop->surface->vertexAttributes, shows.mid(2).toStdString()))
        return coloredBy(*prop->surface, *values);
    return prop->surface;
  });
  fillTable();
}

void PropWindow::fillTable() {
  m_isFilling = true;
  const PropEntry* entry = m_model->plan().findProp(m_uid);
  const int rows = static_cast<int>(m_prop->mounts.size());
  const int rowsBefore = m_table->rowCount();
  m_table->setRowCount(rows);
  for (int r = 0; r < rows; ++r) {
    const SceneNode& m = m_prop->mounts[static_cast<std::size_t>(r)];
    const int hand = r - fromFile();
    const Vec3 turn = hand >= 0 ? entry->mounts[static_cast<std::size_t>(hand)].turnDeg
                                : Vec3(glm::degrees(glm::eulerAngles(m.turn)));
    for (int c = 0; c < kColumns; ++c) {
      const float number = c == 0 ? 0 : c <= 3 ? m.position[c - 1] : c < 7 ? turn[c - 4] : std::abs(m.size.x);
      const int digits = c <= 3 ? 3 : c < 7 ? 1 : 2;
      auto* item = new QTableWidgetItem(c == 0 ? text(m.name)
                                               : QString::number(static_cast<double>(number), 'f', digits));
      if (c > 0) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
      if (hand < 0) {
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        item->setToolTip(tr("A node of the file"));
      }
      m_table->setItem(r, c, item);
    }
  }
  m_isFilling = false;
  // The one that was just set is the one to name or move.
  if (m_isNewWanted && rows > 0 && rows > rowsBefore) {
    m_isNewWanted = false;
    m_table->setCurrentCell(rows - 1, 0);
  }
  handleCurrent();
}

}  // namespace arvesk
