#include "app/site/site_view.h"

#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/spatial/surface_index.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QSlider>
#include <QTabletEvent>
#include <QToolButton>

#include <cmath>

namespace arvesk {
namespace {

/// How near to a disc or to the divider a click must be, px.
constexpr double kGrabPixels = 8;
/// A shorter drag is a click, px.
constexpr double kDragPixels = 4;

}  // namespace

SiteView::SiteView(QWidget* parent)
    : QWidget(parent),
      m_modes(new QFrame(this)),
      m_modeButtons(new QButtonGroup(this)),
      m_colorBox(new QComboBox(m_modes)),
      m_trueSize(new QToolButton(m_modes)),
      m_banner(new QFrame(this)),
      m_bannerText(new QLabel(m_banner)),
      m_hiddenPill(new QToolButton(this)),
      m_cutButton(new QToolButton(m_modes)),
      m_cover(new CoverView(this)),
      m_why(new WhyPanel(this)),
      m_exploded(new QSlider(Qt::Horizontal, m_modes)),
      m_explodedLabel(new QLabel(tr("Pull apart"), m_modes)) {
  setObjectName(QStringLiteral("site"));
  setAccessibleName(tr("Site"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setAcceptDrops(true);
  setMinimumSize(200, 150);
  m_cover->hide();
  m_cover->setFocusProxy(this);  // Site's keys count over Cover too
  m_cover->lower();
  m_modes->setProperty("role", QStringLiteral("float"));
  struct Mode {
    const char* id;
    QString name;
    QString help;
  };
  const std::initializer_list<Mode> modesShown{
      {"dressed", tr("Dressed"), tr("Every placement as it is")},
      {"massing", tr("Massing"), tr("Boxes or simplified shapes with their footprints, in place of props")},
      {"points", tr("Points"), tr("Discs that face their normal, in place of props")},
      {"cover", tr("Count map"), tr("From above, how many stand on each m²")},
      {"mask", tr("Mask"), tr("The selected mask on the ground")}};
  int id = 0;
  for (const auto& [key, name, help] : modesShown) {
    auto* b = new QToolButton(m_modes);
    b->setText(name);
    b->setToolTip(help);
    b->setCheckable(true);
    b->setChecked(id == 0);
    b->setProperty("role", QStringLiteral("mode"));
    b->setObjectName(QStringLiteral("mode_%1").arg(QLatin1String(key)));
    m_modeButtons->addButton(b, id++);
  }
  m_colorBox->setObjectName(QStringLiteral("color_by"));
  m_colorBox->setAccessibleName(tr("Color of the points"));
  m_colorBox->setToolTip(tr("What colors the points"));
  m_colorBox->setFocusPolicy(Qt::ClickFocus);
  m_colorBox->setSizeAdjustPolicy(QComboBox::AdjustToContents);  // its numbers come with the results
  m_colorBox->hide();
  m_trueSize->setText(tr("True size"));
  m_trueSize->setObjectName(QStringLiteral("true_size"));
  m_trueSize->setToolTip(tr("Discs cover the footprints, in place of one size for all"));
  m_trueSize->setCheckable(true);
  m_trueSize->setProperty("role", QStringLiteral("mode"));
  m_trueSize->hide();
  connect(m_trueSize, &QToolButton::clicked, this, [this] { requestFrame(); });
  m_explodedLabel->setProperty("role", QStringLiteral("quiet"));
  m_exploded->setObjectName(QStringLiteral("exploded"));
  m_exploded->setAccessibleName(tr("Move placements apart"));
  m_exploded->setToolTip(tr("Moves placements away from the middle of their clump or output, to look between them"));
  m_exploded->setRange(0, 200);
  m_exploded->setFixedWidth(64);
  m_exploded->setFocusPolicy(Qt::ClickFocus);
  m_cutButton->setText(tr("Cut"));
  m_cutButton->setObjectName(QStringLiteral("cut"));
  m_cutButton->setToolTip(tr("A plane that hides what lies before it, to look inside"));
  m_cutButton->setCheckable(true);
  m_cutButton->setProperty("role", QStringLiteral("mode"));
  connect(m_cutButton, &QToolButton::clicked, this, &SiteView::toggleCut);
  connect(m_exploded, &QSlider::valueChanged, this, &SiteView::shownChanged);
  connect(m_colorBox, &QComboBox::activated, this, [this](int i) {
    m_colorNumber = m_colorBox->itemData(i).toString();
    Q_EMIT colorNumberChanged();
  });
  connect(m_why, &WhyPanel::nodeWanted, this, &SiteView::nodeWanted);
  connect(m_why, &WhyPanel::closed, this, &SiteView::stopAsking);
  connect(m_why, &WhyPanel::markChanged, this, qOverload<>(&QWidget::update));
  connect(m_why, &WhyPanel::radiusWanted, this, [this](float radius) {
    if (m_askedSpot) Q_EMIT whyWanted(*m_askedSpot, m_askedNode, m_askedId, radius);
  });
  connect(m_modeButtons, &QButtonGroup::idClicked, this, [this](int i) { setMode(static_cast<SiteMode>(i)); });
  m_banner->setProperty("role", QStringLiteral("float"));
  m_banner->setObjectName(QStringLiteral("banner"));
  auto* banner = new QHBoxLayout(m_banner);
  banner->setContentsMargins(10, 2, 4, 2);
  m_bannerText->setProperty("role", QStringLiteral("section"));
  banner->addWidget(m_bannerText);
  auto* all = new QToolButton(m_banner);
  all->setText(tr("Back to outputs"));
  all->setObjectName(QStringLiteral("show_all"));
  banner->addWidget(all);
  connect(all, &QToolButton::clicked, this, &SiteView::showAllWanted);
  m_banner->hide();
  m_walkTimer.setInterval(16);
  connect(&m_walkTimer, &QTimer::timeout, this, &SiteView::goOn);
  m_hiddenPill->setObjectName(QStringLiteral("hidden"));
  m_hiddenPill->setProperty("role", QStringLiteral("pill"));
  m_hiddenPill->setToolTip(tr("Shows again what was hidden in Site"));
  m_hiddenPill->hide();
  connect(m_hiddenPill, &QToolButton::clicked, this, &SiteView::showHidden);
  connect(this, &SiteView::shownChanged, this, &SiteView::tellHidden);
  connect(&m_renderer, &RenderService::frameReady, this, [this] {
    update();
    Q_EMIT frameShown();
  });
}

void SiteView::setMode(SiteMode mode) {
  m_modeButtons->button(static_cast<int>(mode))->setChecked(true);
  if (mode == m_mode) return;
  m_mode = mode;
  m_cover->setVisible(mode == SiteMode::Cover);
  m_colorBox->setVisible(mode == SiteMode::Points);
  m_trueSize->setVisible(mode == SiteMode::Points);
  const bool canExplode = mode == SiteMode::Dressed || mode == SiteMode::Massing;
  m_exploded->setVisible(canExplode);
  m_explodedLabel->setVisible(canExplode);
  arrange();
  Q_EMIT modeChanged(mode);
  requestFrame();
}

void SiteView::setTool(std::unique_ptr<SiteTool> tool) {
  m_tool = std::move(tool);
  if (m_tool)
    m_tool->whenChanged([this] {
      update();
      tellHint();
    });
  if (m_tool && m_view) m_tool->showResults(m_view);
  if (m_drag == Drag::Tool) m_drag = Drag::None;
  showCursor();
  tellHint();
  update();
}

void SiteView::showSelection(std::vector<Vec3> places) {
  m_ringing.cancel();
  m_selection = std::move(places);
  update();
}

void SiteView::showCursor() {
  setCursor(m_isAsking || (m_tool && m_tool->isArmed()) ? Qt::CrossCursor : Qt::ArrowCursor);
}

void SiteView::startAsking() {
  m_isAsking = true;
  setCursor(Qt::CrossCursor);
  setFocus();
  Q_EMIT hintChanged(tr("click a spot or a placement to see why it is as it is · Esc"));
}

void SiteView::stopAsking() {
  m_isAsking = false;
  m_askedSpot.reset();
  m_why->hide();
  showCursor();
  tellHint();
  setFocus();
  update();
}

void SiteView::toggleCompare() {
  if (m_held) {
    m_held.reset();
    m_heldRenderer.reset();
  } else if (m_view && m_view->scene) {
    m_held = m_view;
    m_divider = 0.5;
    m_heldRenderer = std::make_unique<RenderService>();
    connect(m_heldRenderer.get(), &RenderService::frameReady, this, qOverload<>(&QWidget::update));
    m_heldRenderer->request(requestFor(m_held));
  }
  Q_EMIT compareChanged(m_held);
  update();
}

void SiteView::setInSite(const QString& title) {
  m_bannerText->setText(tr("In Site: %1").arg(title));
  m_banner->setVisible(!title.isEmpty());
  arrange();
}

/// Modes and what goes with them, in as many lines as they need.
void SiteView::arrangeModes() {
  QWidgetList all;
  for (QAbstractButton* b : m_modeButtons->buttons()) all << b;
  all << m_colorBox << m_trueSize << m_explodedLabel << m_exploded << m_cutButton;
  constexpr int kSide = 4;
  const int most = width() - 20 - kSide;
  int x = kSide;
  int y = 0;
  int widest = 0;
  int line = 0;
  for (QWidget* w : all) {
    if (w->isHidden()) continue;
    const QSize size = w->sizeHint().expandedTo(w->minimumSize()).boundedTo(w->maximumSize());
    // The slider stays beside its words.
    const int needed = size.width() + (w == m_explodedLabel ? m_exploded->width() + 2 : 0);
    if (x > kSide && x + needed > most && w != m_exploded) {
      x = kSide;
      y += line + 2;
      line = 0;
    }
    w->setGeometry(QRect(x, y, size.width(), size.height()));
    line = std::max(line, size.height());
    x += size.width() + 2;
    widest = std::max(widest, x);
  }
  // Those of a line stand in its middle.
  for (QWidget* w : all)
    if (!w->isHidden() && w->height() < line) w->move(w->x(), w->y() + (line - w->height()) / 2);
  m_modes->setGeometry(10, 10, widest + kSide - 2, y + line);
}

void SiteView::arrange() {
  arrangeModes();
  m_banner->adjustSize();
  const bool isBeside = m_modes->geometry().right() + m_banner->width() + 20 < width();
  m_banner->move(width() - m_banner->width() - 10, isBeside ? 10 : m_modes->geometry().bottom() + 8);
  m_cover->setGeometry(rect());
  m_hiddenPill->adjustSize();
  m_hiddenPill->move((width() - m_hiddenPill->width()) / 2, height() - m_hiddenPill->height() - 12);
  const int room = height() - 100;
  showTouchPanel();
  m_why->setGeometry(width() - 330, 48, 320, std::max(120, std::min(420, room)));
}

void SiteView::tellHidden() {
  const QString count = QLocale().toString(static_cast<qulonglong>(countOf(m_hidden.points)));
  m_hiddenPill->setText(m_hidden.isOnly ? tr("%1 shown alone · show all").arg(count)
                                        : tr("%1 hidden · show").arg(count));
  m_hiddenPill->setVisible(!m_hidden.isEmpty());
  m_hiddenPill->raise();
  arrange();
}

void SiteView::setMaskTitle(const QString& title) {
  m_maskTitle = title;
  update();
}

void SiteView::showResults(const EvalViewPtr& view) {
  const auto sizeOf = [](const EvalViewPtr& v) {
    return v->scene ? v->scene->input().grounds.size() + v->scene->input().hazes.size() + v->shown.size()
                    : std::size_t{0};
  };
  if (view->isGrowing && m_view && m_view->request == view->request && sizeOf(m_view) == sizeOf(view))
    return;  // nothing new to see
  const bool isNewPlan = m_isFirstView && view->scene;
  const auto sunOf = [](const PlanSettings& s) { return std::pair(s.sunHeadingDeg, s.sunHeightDeg); };
  if (m_view && sunOf(m_view->plan->settings) != sunOf(view->plan->settings))
    m_camera.sun.reset();  // who turns it sees it
  m_view = view;
  m_pickedPlace.reset();
  if (!m_selected.empty()) select(m_selected);  // what is gone loses its ring, what moved takes it along
  if (m_tool) m_tool->showResults(view);
  if (m_touching && !view->isGrowing) m_touching->showResults(view);
  if (view->cover) m_cover->show(view->cover);
  if (m_mode == SiteMode::Points) {
    m_colorBox->clear();
    m_colorBox->addItem(tr("Plain or mask"), QString());
    m_colorBox->addItem(tr("Output"), QLatin1String(kByOutput));
    m_colorBox->addItem(tr("Prop"), QLatin1String(kByProp));
    m_colorBox->insertSeparator(m_colorBox->count());
    for (const std::string& name : view->colorNames) m_colorBox->addItem(said(name), text(name));
    m_colorBox->setCurrentIndex(std::max(0, m_colorBox->findData(m_colorNumber)));
    arrange();
  }
  if (isNewPlan) {
    m_isFirstView = false;
    m_camera = *cameraOf(*view->plan, {}, view->scene->bounds());  // without a name there is always one
  }
  requestFrame();
}

void SiteView::beginPlan() {
  if (m_held) toggleCompare();
  m_view = nullptr;
  m_isFirstView = true;
  update();
}

void SiteView::showWork(const QString& line) {
  if (line == m_workLine) return;
  m_workLine = line;
  update();
}

void SiteView::setCamera(const Camera& camera) {
  m_camera = camera;
  m_isFirstView = false;
  requestFrame();
}

void SiteView::fitAll() {
  if (m_mode == SiteMode::Cover) return m_cover->fit();
  if (!m_view || !m_view->scene) {
    m_isFirstView = true;
    return;
  }
  m_camera = cameraFitting(m_view->scene->bounds(), m_camera);
  requestFrame();
}

RenderRequest SiteView::requestFor(const EvalViewPtr& view) const {
  RenderRequest request;
  request.view = view;
  request.camera = m_camera;
  request.width = static_cast<int>(width() * devicePixelRatioF());
  request.height = static_cast<int>(height() * devicePixelRatioF());
  request.cut = m_cut.cut();
  request.drawsPoints = m_mode == SiteMode::Points;
  request.isTrueSize = request.drawsPoints && m_trueSize->isChecked();
  return request;
}

void SiteView::requestFrame() {
  if (m_mode != SiteMode::Cover) {
    m_renderer.request(requestFor(m_view));
    if (m_heldRenderer) m_heldRenderer->request(requestFor(m_held));
  }
  findFootprints();
  findTint();
  update();
}

void SiteView::resizeEvent(QResizeEvent*) {
  arrange();
  requestFrame();
}

QString SiteView::emptyLine() const {
  if (!m_view) return {};
  // What is there and failed is not to be added.
  for (const Node& node : m_view->plan->nodes)
    if (const auto it = m_view->evaluation.reports.find(node.uid); it != m_view->evaluation.reports.end() &&
                                                                   it->second.state == NodeState::Failed &&
                                                                   !it->second.problems.empty()) {
      const Problem& why = it->second.problems.front();
      const QString line = lineOf(why);  // it may name a file
      return tr("Nothing can be shown. %1")
          .arg(why.where == node.title ? line : QStringLiteral("%1: %2").arg(text(node.title), line));
    }
  return tr("Nothing to see yet: add ground, such as a Terrain or a Shape.");
}

void SiteView::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  const Frame& frame = m_renderer.latest();
  const bool isEmpty = !m_view || !m_view->scene;
  if (frame.image.isNull() || isEmpty) {
    p.fillRect(rect(), t.isNight ? t.card : QColor(0xE4, 0xE2, 0xDA));
    p.setPen(t.quiet);
    p.drawText(rect().adjusted(40, 60, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
               !m_workLine.isEmpty()          ? m_workLine
               : m_view && !m_view->isGrowing ? emptyLine()
                                              : tr("Reading the plan…"));
    return;
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(rect(), frame.image);
  if (m_held && !m_heldRenderer->latest().image.isNull()) {
    p.save();
    p.setClipRect(QRectF(0, 0, m_divider * width(), height()));
    p.drawImage(rect(), m_heldRenderer->latest().image);
    p.restore();
  }
  paintOverlays(p);
}

Vec3 SiteView::rayAt(const QPointF& p) const {
  return m_camera.direction(static_cast<float>(p.x() / width()), static_cast<float>(p.y() / height()),
                            static_cast<float>(width()) / static_cast<float>(height()));
}

SiteLens SiteView::lens() const {
  const Film* film = m_renderer.latest().film.get();
  return {m_camera, width(), height(), film, m_view ? m_view->scene.get() : nullptr};
}

SitePointer SiteView::pointerAt(const QPointF& p, Qt::KeyboardModifiers modifiers) const {
  SitePointer out;
  out.isIn = true;
  out.at = p;
  out.eye = m_camera.eye;
  out.direction = rayAt(p);
  out.modifiers = modifiers;
  out.pressure = m_pressure;
  if (!m_view || !m_view->scene) return out;
  float nearest = std::numeric_limits<float>::infinity();
  for (const SurfacePtr& ground : m_view->scene->input().grounds)
    if (const auto index = SurfaceIndex::of(*ground)) {  // the picture has made it already
      const SurfaceHit hit = (*index)->first(out.eye, out.direction, nearest);
      if (!hit.isHit() || hit.distance >= nearest) continue;
      nearest = hit.distance;
      out.ground = out.eye + out.direction * hit.distance;
      const Vec3 normal = ground->faceNormal(hit.face);
      out.groundNormal = glm::dot(normal, out.direction) > 0 ? -normal : normal;
    }
  if (const PictureRayHit hit = m_view->scene->first(out.eye, out.direction, cut()); hit.isHit()) {
    const PictureInstance& in = m_view->scene->instance(hit.instance);
    const Vec3 normal = directionOr(glm::transpose(in.localTurn) * m_view->scene->shape(in.shape).faceNormal(hit.face),
                                    kUp);
    out.thing = out.eye + out.direction * hit.distance;
    out.thingNormal = glm::dot(normal, out.direction) > 0 ? -normal : normal;
  }
  return out;
}

std::optional<SiteView::Found> SiteView::findAt(const QPointF& p) const {
  if (!m_view || !m_view->scene) return std::nullopt;
  // One ray costs microseconds; this is not the computing that the interface thread must keep from.
  const Vec3 d = rayAt(p);
  const PictureRayHit hit = m_view->scene->first(m_camera.eye, d, cut());
  const float depth = hit.isHit() ? hit.distance : std::numeric_limits<float>::infinity();
  // Discs first: they are drawn over what they stand on.
  std::optional<Found> disc;
  double nearest = kGrabPixels;
  for (const PictureLayer& layer : m_view->shown) {
    const bool hasDiscs = m_mode == SiteMode::Points ||
                          std::any_of(m_view->bare.begin(), m_view->bare.end(),
                                      [&](const PointsPtr& bare) { return bare == layer.points; });
    if (!hasDiscs) continue;
    for (std::size_t i = 0; i < layer.points->count; ++i) {
      const Vec3 place = layer.points->position[i];
      if (cut() && cut()->hides(place)) continue;
      const Vec3 at = m_camera.projected(place, width(), height());
      if (at.z <= 0) continue;
      const double away = QLineF(p, QPointF(static_cast<double>(at.x), static_cast<double>(at.y))).length();
      if (away >= nearest || glm::distance(place, m_camera.eye) > depth * 1.02F + 0.05F) continue;
      nearest = away;
      disc = Found{place, &layer, i};
    }
  }
  if (disc) return disc;
  if (!hit.isHit()) return std::nullopt;
  const PictureInstance& in = m_view->scene->instance(hit.instance);
  Found found{m_camera.eye + d * hit.distance, nullptr, 0};
  if (in.layer != kGround) {
    found.layer = &m_view->scene->input().layers[in.layer];
    found.point = in.point;
  }
  return found;
}

void SiteView::pick(const QPointF& p) {
  m_pickedPlace.reset();
  m_pickedWords.clear();
  SiteSelection chosen;
  if (const auto found = findAt(p)) {
    m_pickedPlace = found->place;
    if (found->layer) {
      const Points& points = *found->layer->points;
      chosen[found->layer->source] = {points.id[found->point]};
      if (points.kit && points.prop[found->point] != kNoProp) {
        const Prop& prop = *points.kit->entries[static_cast<std::size_t>(points.prop[found->point])].prop;
        m_pickedWords = tr("%1 · %2 m high")
                            .arg(text(prop.name))
                            .arg(static_cast<double>(prop.height * points.size[found->point].y), 0, 'f', 2);
      } else {
        m_pickedWords = tr("a point");
      }
    } else {
      const Vec3 at = found->place;
      m_pickedWords = tr("%1, %2, %3 m")
                          .arg(static_cast<double>(at.x), 0, 'f', 2)
                          .arg(static_cast<double>(at.y), 0, 'f', 2)
                          .arg(static_cast<double>(at.z), 0, 'f', 2);
    }
  }
  select(std::move(chosen));
  Q_EMIT picked(m_pickedWords);
  update();
}

void SiteView::ask(const QPointF& p) {
  const auto found = findAt(p);
  if (!found) return;
  m_askedNode = found->layer ? text(found->layer->source) : QString();
  m_askedId = found->layer ? found->layer->points->id[found->point] : 0;
  // A placement is asked about where it stands, not where the ray met its leaf.
  m_askedSpot = found->layer ? found->layer->points->position[found->point] : found->place;
  m_pickedPlace.reset();
  m_why->showBusy();
  Q_EMIT whyWanted(*m_askedSpot, m_askedNode, m_askedId, m_why->radius());
  update();
}

void SiteView::mousePressEvent(QMouseEvent* event) {
  setFocus();
  m_last = event->position();
  m_hasMoved = false;
  const bool alt = event->modifiers() & Qt::AltModifier;
  m_drag = Drag::None;
  if (event->button() == Qt::MiddleButton) m_drag = alt ? Drag::Pan : Drag::Orbit;
  if (event->button() == Qt::RightButton) m_drag = alt ? Drag::Zoom : Drag::Pan;
  if (event->button() == Qt::LeftButton && (alt || m_walk.isOn())) m_drag = Drag::Orbit;
  if (m_walk.isOn()) {  // looks around from where one stands
    m_pivot = m_camera.eye;
    return;
  }
  if (m_drag == Drag::Orbit && alt && event->button() == Qt::LeftButton && !m_isAsking && m_tool &&
      m_tool->takesAlt() && m_tool->press(pointerAt(event->position(), event->modifiers()), lens())) {
    m_drag = Drag::Tool;
    return update();
  }
  if (event->button() == Qt::LeftButton && !alt) {
    if (m_held && std::abs(event->position().x() - m_divider * width()) < kGrabPixels)
      m_drag = Drag::Divider;
    else if (m_mode != SiteMode::Cover && m_cut.press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Cut;
    else if (TouchHandles* handles = handlesNow();
             handles && handles->press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Touch;
    else if (!m_isAsking && m_tool && m_tool->press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Tool;
    if (m_drag != Drag::None) return update();
    if (!m_isAsking && !(m_tool && m_tool->isArmed()) && m_mode != SiteMode::Cover) {
      m_drag = Drag::Area;
      m_area = QPolygonF{event->position(), event->position()};
      return;
    }
  }
  m_pivot = m_camera.target;
  if (m_view && m_view->scene) {
    const Vec3 d = rayAt(event->position());
    const PictureRayHit hit = m_view->scene->first(m_camera.eye, d, cut());
    if (hit.isHit()) m_pivot = m_camera.eye + d * hit.distance;
  }
}

void SiteView::mouseMoveEvent(QMouseEvent* event) {
  if (m_drag == Drag::None) {
    if (m_cut.cut() && m_cut.hover(pointerAt(event->position(), event->modifiers()), lens())) update();
    if (TouchHandles* handles = handlesNow()) {
      handles->hover(pointerAt(event->position(), event->modifiers()), lens());
      update();
    }
    if (m_tool && !m_isAsking) {
      showCursor();
      m_tool->hover(pointerAt(event->position(), event->modifiers()), lens());
      update();
    }
    return;
  }
  if (m_drag == Drag::Cut) {
    m_cut.drag(pointerAt(event->position(), event->modifiers()), lens());
    return requestFrame();
  }
  if (m_drag == Drag::Touch) {
    m_handles->drag(pointerAt(event->position(), event->modifiers()), lens());
    return update();
  }
  if (m_drag == Drag::Tool) {
    m_tool->drag(pointerAt(event->position(), event->modifiers()), lens());
    return update();
  }
  if (m_drag == Drag::Area) {
    if (QLineF(m_area.front(), event->position()).length() > kDragPixels) m_hasMoved = true;
    if (m_isLasso)
      m_area << event->position();
    else
      m_area.back() = event->position();
    return update();
  }
  if (m_drag == Drag::Divider) {
    m_divider = std::clamp(event->position().x() / width(), 0.02, 0.98);
    return update();
  }
  const QPointF by = event->position() - m_last;
  m_last = event->position();
  if (by.manhattanLength() > 0) m_hasMoved = true;
  if (m_drag == Drag::Orbit) return orbit(by);
  if (m_drag == Drag::Pan) return pan(by);
  m_camera.eye = m_camera.target + (m_camera.eye - m_camera.target) * std::exp(static_cast<float>(by.y()) * 0.01F);
  requestFrame();
}

/// About the pivot, by pixels of a drag.
void SiteView::orbit(const QPointF& by) {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  m_camera.basis(right, up, ahead);
  const Quat turn = glm::angleAxis(static_cast<float>(-by.x()) * 0.006F, kUp);
  float pitch = static_cast<float>(-by.y()) * 0.006F;
  const float now = std::asin(std::clamp(ahead.y, -1.0F, 1.0F));
  pitch = std::clamp(now + pitch, -1.54F, 1.2F) - now;
  const Quat tilt = glm::angleAxis(pitch, right);
  const Quat both = turn * tilt;
  m_camera.eye = m_pivot + both * (m_camera.eye - m_pivot);
  m_camera.target = m_pivot + both * (m_camera.target - m_pivot);
  requestFrame();
}

void SiteView::pan(const QPointF& by) {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  m_camera.basis(right, up, ahead);
  const float distance = std::max(0.1F, glm::dot(m_pivot - m_camera.eye, ahead));
  const float perPixel = 2 * distance * std::tan(0.5F * radians(m_camera.fieldOfViewDeg)) /
                         static_cast<float>(height());
  const Vec3 move = (-right * static_cast<float>(by.x()) + up * static_cast<float>(by.y())) * perPixel;
  m_camera.eye += move;
  m_camera.target += move;
  requestFrame();
}

void SiteView::mouseReleaseEvent(QMouseEvent* event) {
  const Drag drag = m_drag;
  m_drag = Drag::None;
  if (drag == Drag::Area) {
    if (m_hasMoved)
      selectArea(event->modifiers() & Qt::ShiftModifier);
    else
      pick(event->position());
    return update();
  }
  if (event->button() == Qt::RightButton && !m_hasMoved) {
    openMenu(event->globalPosition().toPoint());
    return;
  }
  if (drag == Drag::Cut) m_cut.release();
  if (drag == Drag::Touch) {
    m_handles->release();
    update();
  }
  if (drag == Drag::Tool) {
    m_tool->release();
    update();
  }
  if (drag != Drag::None || event->button() != Qt::LeftButton) return;
  if (m_isAsking)
    ask(event->position());
  else
    pick(event->position());
}

void SiteView::tabletEvent(QTabletEvent* event) {
  m_pressure = event->type() == QEvent::TabletRelease ? 1.0F : static_cast<float>(event->pressure());
  event->ignore();  // it comes again as a mouse event
}

void SiteView::leaveEvent(QEvent*) {
  if (m_tool) m_tool->hover({}, lens());
  update();
}

void SiteView::contextMenuEvent(QContextMenuEvent* event) {
  // By mouse it opens when the button is let go without a drag; here by the keyboard's menu key.
  if (event->reason() == QContextMenuEvent::Keyboard) openMenu(mapToGlobal(rect().center()));
  event->accept();
}

void SiteView::wheelEvent(QWheelEvent* event) {
  const float steps = static_cast<float>(event->angleDelta().y()) / 120.0F;
  const bool isOfTool = (event->modifiers() & Qt::ShiftModifier) ||
                        (m_drag == Drag::Tool && m_tool->takesWheelInDrag());
  if (isOfTool && m_tool && m_tool->wheel(static_cast<double>(steps))) return update();
  if (m_walk.isOn()) {
    m_walk.faster(static_cast<double>(steps));
    return update();
  }
  Vec3 toward = m_camera.target;
  if (m_view && m_view->scene) {
    const Vec3 d = rayAt(event->position());
    const PictureRayHit hit = m_view->scene->first(m_camera.eye, d, cut());
    toward = hit.isHit() ? m_camera.eye + d * hit.distance
                         : m_camera.eye + d * glm::distance(m_camera.eye, m_camera.target);
  }
  const Vec3 move = (toward - m_camera.eye) * (1 - std::pow(0.85F, steps));
  m_camera.eye += move;
  m_camera.target += move * 0.98F;
  requestFrame();
}

void SiteView::fitPlace() {
  if (m_pickedPlace && m_mode != SiteMode::Cover)
    lookAt(*m_pickedPlace);
  else
    fitAll();
}

SiteWalk::Ground SiteView::groundUnder() const {
  const PictureScenePtr scene = m_view ? m_view->scene : nullptr;
  return [scene](const Vec3& from) -> std::optional<float> {
    if (!scene) return std::nullopt;
    const float top = scene->bounds().max.y + 1;
    for (const Vec3& start : {from, Vec3(from.x, top, from.z)}) {
      float nearest = std::numeric_limits<float>::infinity();
      for (const SurfacePtr& ground : scene->input().grounds)
        if (const auto index = SurfaceIndex::of(*ground))  // the picture has made it already
          nearest = std::min(nearest, (*index)->first(start, -kUp, nearest).distance);
      if (std::isfinite(nearest)) return start.y - nearest;
    }
    return std::nullopt;
  };
}

void SiteView::toggleWalk() {
  if (m_walk.isOn()) {
    m_walk.stop();
    m_walkTimer.stop();
  } else if (m_view && m_view->scene) {
    const auto middle = findAt(QPointF(width() / 2.0, height() * 0.6));
    m_walk.start(m_camera, m_pickedPlace ? *m_pickedPlace : middle ? middle->place : m_camera.target, groundUnder());
    m_isFirstView = false;
    setFocus();
  }
  requestFrame();
}

/// One step of the walk.
void SiteView::goOn() {
  const double seconds = std::min(0.1, static_cast<double>(m_walkClock.restart()) / 1000);
  m_walk.step(m_camera, seconds, groundUnder());
  requestFrame();
}

void SiteView::keyReleaseEvent(QKeyEvent* event) {
  if (event->isAutoRepeat() || !m_walk.release(event->key())) return QWidget::keyReleaseEvent(event);
  if (!m_walk.isGoing()) m_walkTimer.stop();
}

void SiteView::focusOutEvent(QFocusEvent* event) {
  for (const int key : {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down}) m_walk.release(key);
  m_walkTimer.stop();
  QWidget::focusOutEvent(event);
}

/// Arrows orbit, with Shift they pan, page keys come nearer and go away, the space bar picks in the middle.
bool SiteView::turnByKey(const QKeyEvent& event) {
  constexpr double kStep = 24;  // px of a drag
  QPointF by;
  switch (event.key()) {
    case Qt::Key_Left: by = {kStep, 0}; break;
    case Qt::Key_Right: by = {-kStep, 0}; break;
    case Qt::Key_Up: by = {0, kStep}; break;
    case Qt::Key_Down: by = {0, -kStep}; break;
    case Qt::Key_PageUp:
    case Qt::Key_PageDown:
      m_camera.eye = m_camera.target +
                     (m_camera.eye - m_camera.target) * (event.key() == Qt::Key_PageUp ? 0.85F : 1.18F);
      requestFrame();
      return true;
    case Qt::Key_Space:
      m_isAsking ? ask(QPointF(width() / 2.0, height() / 2.0)) : pick(QPointF(width() / 2.0, height() / 2.0));
      return true;
    default: return false;
  }
  m_pivot = m_camera.target;
  if (event.modifiers() & Qt::ShiftModifier)
    pan(by);
  else
    orbit(by);
  return true;
}

void SiteView::keyPressEvent(QKeyEvent* event) {
  if (m_walk.press(event->key(), event->modifiers() & Qt::ShiftModifier)) {
    if (!m_walkTimer.isActive()) {
      m_walkClock.start();
      m_walkTimer.start();
    }
    return;
  }
  if (m_walk.isOn() && event->key() == Qt::Key_Escape) return toggleWalk();
  if (nudgeByKey(*event)) return;
  if (m_mode != SiteMode::Cover && turnByKey(*event)) return;
  if (event->key() != Qt::Key_Escape)
    return QWidget::keyPressEvent(event);  // all other keys are commands, see MainWindow::buildMenus
  m_pickedPlace.reset();
  select({});
  Q_EMIT picked({});
  if (m_isAsking) stopAsking();
  update();
}

}  // namespace arvesk
