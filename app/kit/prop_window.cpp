#include "app/kit/prop_window.h"

#include "app/kit/value_table.h"
#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/formats/prop_file.h"

#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QRegularExpression>
#include <QShortcut>
#include <QTabWidget>
#include <QTableWidget>
#include <QVBoxLayout>

namespace arvesk {
namespace {

/// The surface in the colors of one vertex value, from its least to its greatest.
PropPicture::Look coloredBy(const Surface& s, const std::string& name, const Column<float>& values) {
  const ValueSpan span = spanOf(s, values).value_or(ValueSpan());
  Surface out = s;
  out.materials.assign(1, Material());
  out.materials.front().baseColor = Vec4(1);
  out.faceMaterials.clear();
  // As the scale shows them, wherever they lie on the prop.
  static const std::array<Vec3, 256> light = [] {
    std::array<Vec3, 256> of{};
    for (std::size_t i = 0; i < of.size(); ++i) of[i] = lightThatShows(scaleColor(static_cast<float>(i) / 255));
    return of;
  }();
  Array<Vec4> colors(s.positions.size());
  for (std::size_t v = 0; v < s.positions.size(); ++v) {
    const float share = span.most > span.least ? (values[v] - span.least) / (span.most - span.least) : 0.5F;
    colors[v] = Vec4(light[static_cast<std::size_t>(std::clamp(share, 0.0F, 1.0F) * 255)], 1);
  }
  out.colors = std::move(colors);
  return {std::make_shared<const Surface>(std::move(out)), PropPicture::Legend{name, span}, true};
}

/// Nothing but the vertex colors.
SurfacePtr inVertexColors(const Surface& s) {
  Surface out = s;
  out.materials.assign(1, Material());
  out.materials.front().baseColor = Vec4(1);
  out.faceMaterials.clear();
  for (Vec4& c : out.colors.edit())
    c = Vec4(lightThatShows({srgbFromLinear(c.r), srgbFromLinear(c.g), srgbFromLinear(c.b)}), 1);
  return std::make_shared<const Surface>(std::move(out));
}

constexpr std::array kChannels{"red", "green", "blue", "alpha"};

/// What the prop is shown as, by the choice's data and, for the legend, its words.
PropPicture::Look lookAt(const Prop& prop, const QString& shows, const std::string& words) {
  const Surface& s = *prop.surface;
  if (shows == QStringLiteral("massing")) return {massingOf(prop)};
  if (shows == QStringLiteral("colors")) return {inVertexColors(s), std::nullopt, true};
  for (std::size_t c = 0; c < kChannels.size(); ++c)
    if (shows == QLatin1String(kChannels[c])) return coloredBy(s, words, channelOf(s, static_cast<int>(c)));
  if (shows.startsWith(QStringLiteral("a:"))) {
    const std::string name = shows.mid(2).toStdString();
    if (const auto* values = columnOf<Column<float>>(s.vertexAttributes, name)) return coloredBy(s, words, *values);
  }
  return {prop.surface};
}

/// How long the axes of mount points of size 1 are shown, m.
float reachOfMounts(const Prop& prop) { return 0.18F * std::max(prop.footprint, prop.height); }

constexpr int kPropColumns = 8;

}  // namespace

PropPicture::PropPicture(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("prop_picture"));
  setAccessibleName(tr("Picture of the prop"));
  setMinimumSize(320, 280);
  setCursor(Qt::CrossCursor);
  connect(&m_renderer, &RenderService::frameReady, this, qOverload<>(&QWidget::update));
}

void PropPicture::show(const PropPtr& prop, std::function<Look()> lookOf) {
  m_prop = prop;
  const QColor ground = Theme::current().paper;
  const Vec3 background(static_cast<float>(ground.redF()), static_cast<float>(ground.greenF()),
                        static_cast<float>(ground.blueF()));
  m_building.ask([this, prop, lookOf = std::move(lookOf), background](const Task& task) -> std::function<void()> {
    auto shown = std::make_shared<Prop>(*prop);
    const Look look = lookOf();
    shown->surface = look.surface;
    shown->massing.isShown = false;
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({shown, 1});
    Points one;
    one.count = 1;
    one.kit = kit;
    one.prop = Column<std::int32_t>(0);
    PictureInput input;
    input.light.hasSky = false;
    input.light.isShadeless = look.isPlain;
    input.light.background = background;
    input.layers.push_back({std::make_shared<const Points>(std::move(one))});
    input.grounds.push_back(frontArrowOf(shown->surface->bounds()));
    const auto scene = PictureScene::build(std::move(input), task);
    if (!scene) return {};
    auto view = std::make_shared<EvalView>();
    view->scene = *scene;
    return [this, view, box = shown->surface->bounds(), legend = look.legend] {
      if (!m_view) {
        Camera looking;
        looking.eye = {0.8F, 0.55F, 1};
        looking.fieldOfViewDeg = 32;
        m_camera = cameraFitting(box, looking);
      }
      m_view = view;
      m_legend = legend;
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
  if (m_legend) paintLegend(p);
  if (!m_hasMounts) return;
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

void PropPicture::paintLegend(QPainter& p) const {
  const ValueSpan& span = m_legend->span;
  const auto number = [](float v) { return QString::number(static_cast<double>(v), 'g', 3); };
  const QRect bar(12, height() - 34, 120, 8);
  const QString name = text(m_legend->name);
  p.setPen(Theme::current().ink);
  if (span.most <= span.least) {
    p.drawText(QPoint(12, height() - 14), tr("%1: %2 at every vertex").arg(name, number(span.least)));
    return;
  }
  for (int x = 0; x < bar.width(); ++x) {
    const Vec3 c = scaleColor(static_cast<float>(x) / static_cast<float>(bar.width() - 1)) * 255.0F;
    p.fillRect(bar.left() + x, bar.top(), 1, bar.height(),
               QColor(static_cast<int>(c.x), static_cast<int>(c.y), static_cast<int>(c.z)));
  }
  p.drawText(QPoint(bar.right() + 10, bar.bottom() + 1), tr("%1, mean %2").arg(name, number(span.mean)));
  p.drawText(QPoint(bar.left(), height() - 10), number(span.least));
  const QString most = number(span.most);
  p.drawText(QPoint(bar.right() - p.fontMetrics().horizontalAdvance(most), height() - 10), most);
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
  if (m_hasMounts && event->button() == Qt::LeftButton && handle != MountHandles::Handle::None)
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
  if (!m_hasMounts || !isClick || event->button() != Qt::LeftButton) return;
  if (const auto hit = onMesh(event->position())) Q_EMIT clicked(hit->first, hit->second);
}

void PropPicture::wheelEvent(QWheelEvent* event) {
  m_camera.eye = m_camera.target + (m_camera.eye - m_camera.target) *
                                       std::pow(0.85F, static_cast<float>(event->angleDelta().y()) / 120.0F);
  request();
}

PropWindow::PropWindow(PlanModel* model, EvaluationService* service, const std::string& uid, QString folder,
                       QWidget* parent)
    : QWidget(parent, Qt::Window),
      m_model(model),
      m_service(service),
      m_uid(uid),
      m_picture(new PropPicture(this)),
      m_shows(new QComboBox(this)),
      m_table(new QTableWidget(0, kPropColumns, this)),
      m_values(new ValueTable(this)),
      m_hint(new QLabel(this)),
      m_folder(std::move(folder)) {
  setObjectName(QStringLiteral("prop_window"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(760, 660);
  m_shows->setObjectName(QStringLiteral("prop_shows"));
  m_shows->setAccessibleName(tr("What is shown"));
  m_hint->setWordWrap(true);
  m_hint->setProperty("role", QStringLiteral("quiet"));
  auto* head = new QHBoxLayout;
  head->addWidget(m_hint, 1);
  head->addWidget(m_shows);
  auto* tabs = new QTabWidget(this);
  tabs->setObjectName(QStringLiteral("prop_tabs"));
  tabs->addTab(mountsTab(), tr("Mount points"));
  tabs->addTab(valuesTab(), tr("Values"));
  tabs->setFixedHeight(220);
  const auto turnTo = [this](int tab) {
    m_picture->showMounts(tab == 0);
    m_hint->setText(tab == 0 ? tr("Click the prop to set a mount point there; handles move, lean, turn and size the "
                                  "chosen one · drag turns the prop, wheel zooms")
                             : tr("Each row is a number from 0 to 1 for every vertex, which exports carry; the chosen "
                                  "one is in the picture · drag turns the prop, wheel zooms"));
  };
  connect(tabs, &QTabWidget::currentChanged, this, turnTo);
  turnTo(0);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 16, 12);
  column->addLayout(head);
  column->addWidget(m_picture, 1);
  column->addWidget(tabs);
  connect(new QShortcut(QKeySequence::Undo, this), &QShortcut::activated, this, [this] { m_model->undo(); });
  connect(new QShortcut(QKeySequence::Redo, this), &QShortcut::activated, this, [this] { m_model->redo(); });
  connect(new QShortcut(Qt::Key_Escape, this), &QShortcut::activated, this, &QWidget::close);
  connect(m_shows, &QComboBox::activated, this, [this] {
    m_wanted.clear();
    refresh();
  });
  connect(m_service, &EvaluationService::finished, this, &PropWindow::refresh);
  refresh();
}

QWidget* PropWindow::mountsTab() {
  auto* tab = new QWidget(this);
  m_table->setObjectName(QStringLiteral("mount_table"));
  m_table->setAccessibleName(tr("Mount points"));
  m_table->setHorizontalHeaderLabels({tr("Mount point"), tr("x, m"), tr("y, m"), tr("z, m"), tr("turn x, °"),
                                      tr("turn y, °"), tr("turn z, °"), tr("size")});
  m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  for (int c = 1; c < kPropColumns; ++c) m_table->setColumnWidth(c, 68);
  m_table->verticalHeader()->hide();
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setShowGrid(false);
  auto* remove = new QPushButton(tr("Remove mount point"), tab);
  remove->setObjectName(QStringLiteral("mount_remove"));
  auto* foot = new QHBoxLayout;
  foot->addStretch(1);
  foot->addWidget(remove);
  auto* column = new QVBoxLayout(tab);
  column->setContentsMargins(8, 8, 8, 8);
  column->addWidget(m_table, 1);
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
  return tab;
}

QWidget* PropWindow::valuesTab() {
  auto* tab = new QWidget(this);
  auto* column = new QVBoxLayout(tab);
  column->setContentsMargins(8, 8, 8, 8);
  column->addWidget(m_values);
  connect(m_values, &ValueTable::edited, this, [this](const QString& words, const std::vector<ValueEntry>& values) {
    edit(words, [&](PropEntry& p) { p.values = values; });
    m_values->fill(values, m_prop ? m_prop->surface->bounds().extent() : Vec3(1));
  });
  connect(m_values, &ValueTable::chosen, this, [this](const ValueEntry& value) {
    m_wanted = value.into == ValueInto::Named  ? "a:" + value.name
               : value.into == ValueInto::Gray ? "colors"
                                               : kChannels[static_cast<std::size_t>(value.into) - 1];
    refresh();
  });
  connect(m_values, &ValueTable::keepWanted, this, &PropWindow::keepAsFile);
  return tab;
}

void PropWindow::keepAsFile() {
  if (!m_prop) return;
  const QString proposed =
      QDir(m_folder.isEmpty() ? QDir::homePath() : m_folder).filePath(text(m_prop->name) + QStringLiteral(".glb"));
  QString path = QFileDialog::getSaveFileName(this, tr("Keep the prop with its values as"), proposed,
                                              tr("glTF (*.glb)"));
  if (path.isEmpty()) return;
  if (!path.endsWith(QStringLiteral(".glb"), Qt::CaseInsensitive)) {
    path += QStringLiteral(".glb");
    if (QFileInfo::exists(path)) {  // the dialog did not ask about that one
      m_hint->setText(
          tr("%1 is there already. Choose it in the list to write over it.").arg(QFileInfo(path).fileName()));
      return;
    }
  }
  for (const PropEntry& p : m_model->plan().props)
    for (const std::string& file : {p.file, p.lightFile, p.deliveredFile})
      if (!file.empty() && QFileInfo(QDir(m_folder).absoluteFilePath(text(file))) == QFileInfo(path)) {
        m_hint->setText(tr("%1 is what %2 is made from; it stays as it is. Choose another name.")
                            .arg(QFileInfo(path).fileName(), text(p.name)));
        return;
      }
  m_hint->setText(tr("Writing %1…").arg(QFileInfo(path).fileName()));
  m_keptAs = path;
  keepWhenMade();
}

/// What is written is what the plan says now: a change that was just made is waited for.
void PropWindow::keepWhenMade() {
  if (m_keptAs.isEmpty() || m_service->isBusy() || m_service->latest()->plan != m_model->snapshot()) return;
  const QString path = std::exchange(m_keptAs, {});
  const PropEntry* entry = m_model->plan().findProp(m_uid);
  const std::vector<PropPtr>& props = m_service->latest()->props;
  const auto it = std::find_if(props.begin(), props.end(), [&](const PropPtr& p) { return p->uid == m_uid; });
  if (!entry || it == props.end() || (*it)->isMissing) {
    m_hint->setText(tr("The prop could not be made; nothing was written"));
    return;
  }
  m_keeping.ask([this, prop = *it, was = *entry, path](const Task&) -> Worker::Answer {
    const auto written = writePropFile(*prop, path.toStdString());
    if (!written) return [this, words = sentencesOf(written.error())] { m_hint->setText(words); };
    return [this, was, path] { makeFrom(path, was); };
  });
}

/// `was`: the settings that were written. What was changed meanwhile would be lost with them.
void PropWindow::makeFrom(const QString& path, const PropEntry& was) {
  const PropEntry* before = m_model->plan().findProp(m_uid);
  if (!before) return;
  if (*before != was) {
    m_hint->setText(tr("%1 is written, but the prop was changed meanwhile and is made from the file before")
                        .arg(QFileInfo(path).fileName()));
    return;
  }
  // A light mesh lies in the unit and axis of the file before.
  const bool isLightLost = !before->lightFile.empty() && (before->unitScale != 1 || before->isZUp);
  edit(tr("Keep as a file"), [&](PropEntry& p) {
    p.file = (m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path)).toStdString();
    p.partBy = PartBy::Whole;
    p.part.clear();
    p.unitScale = 1;
    p.isZUp = false;
    p.creaseDeg = -1;
    p.deliveredFile.clear();
    if (isLightLost) p.lightFile.clear();
    p.values.clear();
  });
  QString done =
      tr("Made from %1 now, which has the values. Undo brings the file before back.").arg(QFileInfo(path).fileName());
  if (isLightLost) done += QLatin1Char(' ') + tr("Its light mesh has another unit or axis and is let go.");
  // glTF has no place for capitals and blanks in such names; whatever asks for a value by its name must be told.
  QStringList renamed;
  for (const ValueEntry& v : was.values)
    if (v.into == ValueInto::Named &&
        !QRegularExpression(QStringLiteral("^[a-z0-9_]+$")).match(text(v.name)).hasMatch())
      renamed += text(v.name);
  if (!renamed.isEmpty())
    done +=
        QLatin1Char(' ') +
        tr("glTF writes these names otherwise, small and with underscores: %1").arg(renamed.join(QStringLiteral(", ")));
  m_hint->setText(done);
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
  if (!m_prop->surface->colors.empty()) {
    m_shows->addItem(tr("Vertex colors"), QStringLiteral("colors"));
    const std::array words{tr("Red"), tr("Green"), tr("Blue"), tr("Alpha")};
    for (std::size_t c = 0; c < words.size(); ++c) m_shows->addItem(words[c], QLatin1String(kChannels[c]));
  }
  // What is wanted comes with the prop that has it.
  const int wanted = m_wanted.empty() ? -1 : m_shows->findData(text(m_wanted));
  if (wanted >= 0) m_wanted.clear();
  m_shows->setCurrentIndex(wanted >= 0 ? wanted : std::max(0, m_shows->findData(was)));
  m_picture->show(m_prop, [prop = m_prop, shows = m_shows->currentData().toString(),
                           words = m_shows->currentText().toStdString()] { return lookAt(*prop, shows, words); });
  m_values->fill(entry->values, m_prop->surface->bounds().extent());
  fillTable();
  keepWhenMade();
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
    for (int c = 0; c < kPropColumns; ++c) {
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
