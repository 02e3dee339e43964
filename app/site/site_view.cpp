#include "app/site/site_view.h"

#include "app/window/theme.h"
#include "core/spatial/surface_index.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
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

QString text(const std::string& s) { return QString::fromStdString(s); }

}  // namespace

SiteView::SiteView(QWidget* parent)
    : QWidget(parent),
      m_modes(new QFrame(this)),
      m_modeButtons(new QButtonGroup(this)),
      m_colorBox(new QComboBox(m_modes)),
      m_banner(new QFrame(this)),
      m_bannerText(new QLabel(m_banner)),
      m_cutButton(new QToolButton(m_modes)),
      m_cover(new CoverView(this)),
      m_why(new WhyPanel(this)),
      m_exploded(new QSlider(Qt::Horizontal, m_modes)),
      m_explodedLabel(new QLabel(tr("apart"), m_modes)) {
  setObjectName(QStringLiteral("site"));
  setAccessibleName(tr("Site"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setMinimumSize(200, 150);
  m_cover->hide();
  m_cover->setFocusProxy(this);  // Site's keys count over Cover too
  m_cover->lower();
  m_modes->setProperty("role", QStringLiteral("float"));
  auto* modes = new QHBoxLayout(m_modes);
  modes->setContentsMargins(4, 0, 4, 0);
  modes->setSpacing(2);
  struct Mode {
    const char* id;
    QString name;
    QString help;
  };
  const std::initializer_list<Mode> modesShown{
      {"dressed", tr("Dressed"), tr("Every placement as it is")},
      {"massing", tr("Massing"), tr("Boxes or simplified shapes with their footprints, in place of props")},
      {"points", tr("Points"), tr("Discs that face their normal, in place of props")},
      {"cover", tr("Cover"), tr("From above, how many stand on each m²")},
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
    modes->addWidget(b);
  }
  m_colorBox->setObjectName(QStringLiteral("color_by"));
  m_colorBox->setAccessibleName(tr("Color of the points"));
  m_colorBox->setToolTip(tr("What colors the points"));
  m_colorBox->setFocusPolicy(Qt::ClickFocus);
  m_colorBox->setSizeAdjustPolicy(QComboBox::AdjustToContents);  // its numbers come with the results
  m_colorBox->hide();
  modes->addWidget(m_colorBox);
  m_explodedLabel->setProperty("role", QStringLiteral("quiet"));
  m_exploded->setObjectName(QStringLiteral("exploded"));
  m_exploded->setAccessibleName(tr("Move placements apart"));
  m_exploded->setToolTip(tr("Moves placements away from the middle of their clump or output, to look between them"));
  m_exploded->setRange(0, 200);
  m_exploded->setFixedWidth(64);
  m_exploded->setFocusPolicy(Qt::ClickFocus);
  modes->addWidget(m_explodedLabel);
  modes->addWidget(m_exploded);
  m_cutButton->setText(tr("Cut"));
  m_cutButton->setObjectName(QStringLiteral("cut"));
  m_cutButton->setToolTip(tr("A plane that hides what lies before it, to look inside"));
  m_cutButton->setCheckable(true);
  m_cutButton->setProperty("role", QStringLiteral("mode"));
  modes->addWidget(m_cutButton);
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
  all->setText(tr("show all"));
  all->setObjectName(QStringLiteral("show_all"));
  banner->addWidget(all);
  connect(all, &QToolButton::clicked, this, &SiteView::showAllWanted);
  m_banner->hide();
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
  const bool canExplode = mode == SiteMode::Dressed || mode == SiteMode::Massing;
  m_exploded->setVisible(canExplode);
  m_explodedLabel->setVisible(canExplode);
  arrange();
  Q_EMIT modeChanged(mode);
  requestFrame();
}

void SiteView::setTool(std::unique_ptr<SiteTool> tool) {
  m_tool = std::move(tool);
  if (m_tool && m_view) m_tool->showResults(m_view);
  if (m_drag == Drag::Tool) m_drag = Drag::None;
  setCursor(m_tool || m_isAsking ? Qt::CrossCursor : Qt::ArrowCursor);
  Q_EMIT hintChanged(m_tool ? m_tool->hint() : QString());
  update();
}

void SiteView::showSelection(std::vector<Vec3> places) {
  m_ringing.cancel();
  m_selection = std::move(places);
  update();
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
  setCursor(m_tool ? Qt::CrossCursor : Qt::ArrowCursor);
  Q_EMIT hintChanged(m_tool ? m_tool->hint() : QString());
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

void SiteView::arrange() {
  m_modes->adjustSize();
  m_modes->move(10, 10);
  m_banner->adjustSize();
  m_banner->move(width() - m_banner->width() - 10, 10);
  m_cover->setGeometry(rect());
  const int room = height() - 100;
  m_why->setGeometry(width() - 330, 48, 320, std::max(120, std::min(420, room)));
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
  if (view->cover) m_cover->show(view->cover);
  if (m_mode == SiteMode::Points) {
    m_colorBox->clear();
    m_colorBox->addItem(tr("ink or mask"), QString());
    for (const std::string& name : view->colorNames) m_colorBox->addItem(text(name), text(name));
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
  return request;
}

void SiteView::requestFrame() {
  if (m_mode != SiteMode::Cover) {
    m_renderer.request(requestFor(m_view));
    if (m_heldRenderer) m_heldRenderer->request(requestFor(m_held));
  }
  update();
}

void SiteView::resizeEvent(QResizeEvent*) {
  arrange();
  requestFrame();
}

void SiteView::paintEvent(QPaintEvent*) {
  const Theme& t = Theme::current();
  QPainter p(this);
  const Frame& frame = m_renderer.latest();
  const bool isEmpty = !m_view || !m_view->scene;
  if (frame.image.isNull() || isEmpty) {
    p.fillRect(rect(), t.isNight ? t.card : QColor(0xE4, 0xE2, 0xDA));
    p.setPen(t.quiet);
    p.drawText(rect(), Qt::AlignCenter,
               m_view && !m_view->isGrowing ? tr("Nothing to see yet: add ground, such as a Terrain or a Shape.")
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

void SiteView::drawWords(QPainter& p, const QPointF& at, const QString& words) const {
  QPainterPath path;
  QFont f = font();
  f.setWeight(QFont::DemiBold);
  path.addText(at, f, words);
  p.setPen(QPen(QColor(0, 0, 0, 110), 3));
  p.drawPath(path);
  p.fillPath(path, Qt::white);
}

void SiteView::paintOverlays(QPainter& p) {
  p.setRenderHint(QPainter::Antialiasing);
  paintVolume(p);
  if (m_mode != SiteMode::Cover) m_cut.paint(p, lens());
  if (m_tool) m_tool->paint(p, lens());
  paintMarks(p);
  paintScale(p);
  paintLegend(p);
  if (m_held) paintCompare(p);
  if (m_drag == Drag::Area && m_hasMoved) {
    const QPolygonF line = m_isLasso ? m_area : QPolygonF(QRectF(m_area.front(), m_area.back()).normalized());
    drawOutlined(p, line, Qt::white, 1.2);
  }
}

void SiteView::paintScale(QPainter& p) {
  // Scale: a round length at the distance of what lies in the middle.
  const Frame& frame = m_renderer.latest();
  float middle = glm::distance(m_camera.eye, m_camera.target);
  if (frame.film) {
    const float d = frame.film->distance[frame.film->at(frame.film->width / 2, frame.film->height * 2 / 3)];
    if (std::isfinite(d)) middle = d;
  }
  const double perMeter = 0.5 * height() /
                          (std::tan(0.5 * static_cast<double>(radians(m_camera.fieldOfViewDeg))) *
                           static_cast<double>(middle));
  double length = std::pow(10, std::floor(std::log10(130 / perMeter)));
  for (const double m : {5.0, 2.0})
    if (length * m * perMeter < 140) {
      length *= m;
      break;
    }
  const double x = 17;
  const double y = height() - 17;
  drawOutlined(p, QPolygonF{QPointF(x, y), QPointF(x + length * perMeter, y)}, Qt::white, 2);
  drawWords(p, QPointF(x, y - 6), QStringLiteral("%1 m").arg(QLocale().toString(length)));
  // Compass: north is −Z.
  const QPointF center(width() - 36, height() - 36);
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(0xF2, 0xEE, 0xE5, 225));
  p.drawEllipse(center, 16, 16);
  const Vec3 ahead = m_camera.target - m_camera.eye;
  p.save();
  p.translate(center);
  p.rotate(-static_cast<double>(degrees(std::atan2(ahead.x, -ahead.z))));
  p.setBrush(QColor(0x22, 0x30, 0x2F));
  p.drawPolygon(QPolygonF{QPointF(0, -10), QPointF(4.5, 7), QPointF(0, 4), QPointF(-4.5, 7)});
  p.restore();
}

void SiteView::paintLegend(QPainter& p) {
  const bool isColored = m_mode == SiteMode::Points && m_view && !m_view->pointValues.empty();
  if (m_mode != SiteMode::Mask && !isColored) return;
  const Theme& t = Theme::current();
  const QRectF box(width() - 280, height() - 64, 200, 52);
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(t.card.red(), t.card.green(), t.card.blue(), 235));
  p.drawRoundedRect(box.adjusted(-8, 0, 8, 0), 4, 4);
  for (int i = 0; i < 200; ++i) {
    const Vec3 c = scaleColor(static_cast<float>(i) / 199) * 255.0F;
    p.fillRect(QRectF(box.left() + i, box.top() + 22, 1.2, 8),
               QColor(static_cast<int>(c.r), static_cast<int>(c.g), static_cast<int>(c.b)));
  }
  QFont f = font();
  f.setPixelSize(11);
  p.setFont(f);
  p.setPen(t.ink);
  const QString title = isColored ? text(m_view->colorTitle) : m_maskTitle;
  const QLocale locale;
  p.drawText(box.adjusted(0, 3, 0, 0), Qt::AlignLeft | Qt::AlignTop,
             title.isEmpty() ? tr("select a mask in the Plan") : title);
  p.setPen(t.quiet);
  p.drawText(box.adjusted(0, 0, 0, -4), Qt::AlignLeft | Qt::AlignBottom,
             locale.toString(isColored ? static_cast<double>(m_view->colorFrom) : 0.0, 'g', 4));
  p.drawText(box.adjusted(0, 0, 0, -4), Qt::AlignRight | Qt::AlignBottom,
             locale.toString(isColored ? static_cast<double>(m_view->colorTo) : 1.0, 'g', 4));
}

void SiteView::paintCompare(QPainter& p) {
  const Theme& t = Theme::current();
  const double x = m_divider * width();
  drawOutlined(p, QPolygonF{QPointF(x, 0), QPointF(x, height())}, Qt::white, 2);
  p.setPen(QPen(QColor(0x22, 0x30, 0x2F), 1));
  p.setBrush(QColor(0xFC, 0xFB, 0xF8));
  p.drawEllipse(QPointF(x, height() / 2.0), 8, 8);
  const double wordsY = 64;
  QFont f = font();
  f.setWeight(QFont::DemiBold);
  drawWords(p, QPointF(x - 14 - QFontMetricsF(f).horizontalAdvance(tr("held")), wordsY), tr("held"));
  drawWords(p, QPointF(x + 14, wordsY), tr("now"));
  // The numbers, side by side: each layer, then all.
  struct Row {
    QString name;
    std::size_t held;
    std::size_t now;
  };
  std::vector<Row> rows;
  const auto countIn = [](const EvalView& view, const std::string& source) {
    std::size_t n = 0;
    for (const PictureLayer& l : view.shown)
      if (l.source == source) n += l.points->count;
    return n;
  };
  std::vector<std::string> sources;
  for (const EvalViewPtr& view : {m_held, m_view})
    for (const PictureLayer& l : view->shown)
      if (std::find(sources.begin(), sources.end(), l.source) == sources.end()) sources.push_back(l.source);
  std::size_t heldSum = 0;
  std::size_t nowSum = 0;
  for (const std::string& source : sources) {
    const Node* node = m_view->plan->find(source);
    if (!node) node = m_held->plan->find(source);
    rows.push_back({node ? text(node->title) : QString(), countIn(*m_held, source), countIn(*m_view, source)});
    heldSum += rows.back().held;
    nowSum += rows.back().now;
  }
  rows.push_back({tr("all points"), heldSum, nowSum});
  f.setWeight(QFont::Normal);
  f.setPixelSize(11);
  p.setFont(f);
  const QRectF box(10, 48, 286, 26 + 17.0 * static_cast<double>(rows.size()));
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(t.card.red(), t.card.green(), t.card.blue(), 238));
  p.drawRoundedRect(box, 4, 4);
  const QLocale locale;
  const auto line = [&](double y, const QString& name, const QString& held, const QString& now, const QString& change,
                        const QColor& color) {
    p.setPen(color);
    p.drawText(QRectF(box.left() + 10, y, 96, 17), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(name, Qt::ElideRight, 94));
    p.drawText(QRectF(box.left() + 100, y, 56, 17), Qt::AlignRight | Qt::AlignVCenter, held);
    p.drawText(QRectF(box.left() + 160, y, 56, 17), Qt::AlignRight | Qt::AlignVCenter, now);
    p.drawText(QRectF(box.left() + 220, y, 56, 17), Qt::AlignRight | Qt::AlignVCenter, change);
  };
  line(box.top() + 4, QString(), tr("held"), tr("now"), tr("change"), t.quiet);
  double y = box.top() + 21;
  for (const Row& row : rows) {
    const auto change = static_cast<qlonglong>(row.now) - static_cast<qlonglong>(row.held);
    line(y, row.name, locale.toString(static_cast<qulonglong>(row.held)),
         locale.toString(static_cast<qulonglong>(row.now)),
         change == 0 ? QStringLiteral("=")
                     : (change > 0 ? QStringLiteral("+") : QStringLiteral("−")) + locale.toString(std::abs(change)),
         t.ink);
    y += 17;
  }
}

void SiteView::paintMarks(QPainter& p) {
  const QColor ring(0x1D, 0x5F, 0x7A);
  // The ring is drawn once and then copied: five thousand strokes would hold the window for seconds.
  constexpr double kRing = 6;
  constexpr double kHalf = 10;
  const qreal ratio = devicePixelRatioF();
  if (!m_selection.empty() && (m_ring.isNull() || m_ring.devicePixelRatio() != ratio)) {
    m_ring = QPixmap(QSize(static_cast<int>(2 * kHalf * ratio), static_cast<int>(2 * kHalf * ratio)));
    m_ring.setDevicePixelRatio(ratio);
    m_ring.fill(Qt::transparent);
    QPainter r(&m_ring);
    r.setRenderHint(QPainter::Antialiasing);
    r.setPen(QPen(QColor(255, 255, 255, 200), 3.5));
    r.drawEllipse(QPointF(kHalf, kHalf), kRing, kRing);
    r.setPen(QPen(ring, 2));
    r.drawEllipse(QPointF(kHalf, kHalf), kRing, kRing);
  }
  const QRectF seen = QRectF(rect()).adjusted(-kHalf, -kHalf, kHalf, kHalf);
  // More rings than this could not be told apart.
  constexpr std::size_t kMostRings = 5000;
  for (std::size_t i = 0; i < std::min(kMostRings, m_selection.size()); ++i)
    if (const auto at = project(m_selection[i]); at && seen.contains(*at))
      p.drawPixmap(QPointF(std::round(at->x() - kHalf), std::round(at->y() - kHalf)), m_ring);
  if (m_askedSpot && m_why->isVisible()) {
    const float radius = m_why->radius();
    QPolygonF circle;
    for (int i = 0; i <= 48; ++i) {
      const float a = 2 * kPi * static_cast<float>(i) / 48;
      if (const auto at = project(*m_askedSpot + Vec3(std::cos(a), 0, std::sin(a)) * radius)) circle << *at;
    }
    drawOutlined(p, circle, Qt::white, 1.5);
    for (const WhyPoint& point : m_why->answer().points)
      if (const auto at = project(point.place)) {
        p.setPen(QPen(Qt::white, 1.5));
        p.setBrush(point.isPlaced ? QColor(0x22, 0x30, 0x2F) : QColor(0, 0, 0, 0));
        if (point.isPlaced)
          p.drawEllipse(*at, 3.5, 3.5);
        else {
          drawOutlined(p, QPolygonF{*at + QPointF(-4, -4), *at + QPointF(4, 4)}, Qt::white, 1.5);
          drawOutlined(p, QPolygonF{*at + QPointF(-4, 4), *at + QPointF(4, -4)}, Qt::white, 1.5);
        }
      }
    if (const auto place = m_why->markedPlace())
      if (const auto at = project(*place)) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(Qt::white, 4));
        p.drawEllipse(*at, 9, 9);
        p.setPen(QPen(ring, 2.5));
        p.drawEllipse(*at, 9, 9);
      }
  }
  if (m_pickedPlace)
    if (const auto at = project(*m_pickedPlace)) {
      p.setPen(QPen(ring, 2));
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(*at, 9, 9);
      drawWords(p, *at + QPointF(14, -6), m_pickedWords);
    }
}

Vec3 SiteView::rayAt(const QPointF& p) const {
  return m_camera.direction(static_cast<float>(p.x() / width()), static_cast<float>(p.y() / height()),
                            static_cast<float>(width()) / static_cast<float>(height()));
}

SitePointer SiteView::pointerAt(const QPointF& p, Qt::KeyboardModifiers modifiers) const {
  SitePointer out{p, m_camera.eye, rayAt(p), {}, modifiers, m_pressure};
  if (!m_view || !m_view->scene) return out;
  float nearest = std::numeric_limits<float>::infinity();
  for (const SurfacePtr& ground : m_view->scene->input().grounds)
    if (const auto index = SurfaceIndex::of(*ground)) {  // the picture has made it already
      const SurfaceHit hit = (*index)->first(out.eye, out.direction, nearest);
      if (!hit.isHit() || hit.distance >= nearest) continue;
      nearest = hit.distance;
      out.ground = out.eye + out.direction * hit.distance;
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
  if (event->button() == Qt::LeftButton && alt) m_drag = Drag::Orbit;
  if (event->button() == Qt::LeftButton && !alt) {
    if (m_held && std::abs(event->position().x() - m_divider * width()) < kGrabPixels)
      m_drag = Drag::Divider;
    else if (m_mode != SiteMode::Cover && m_cut.press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Cut;
    else if (!m_isAsking && m_tool && m_tool->press(pointerAt(event->position(), event->modifiers()), lens()))
      m_drag = Drag::Tool;
    if (m_drag != Drag::None) return update();
    if (!m_isAsking && !m_tool && m_mode != SiteMode::Cover) {
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
    if (m_tool && !m_isAsking) {
      m_tool->hover(pointerAt(event->position(), event->modifiers()), lens());
      update();
    }
    return;
  }
  if (m_drag == Drag::Cut) {
    m_cut.drag(pointerAt(event->position(), event->modifiers()), lens());
    return requestFrame();
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
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  m_camera.basis(right, up, ahead);
  if (m_drag == Drag::Orbit) {
    const Quat turn = glm::angleAxis(static_cast<float>(-by.x()) * 0.006F, kUp);
    float pitch = static_cast<float>(-by.y()) * 0.006F;
    const float now = std::asin(std::clamp(ahead.y, -1.0F, 1.0F));
    pitch = std::clamp(now + pitch, -1.54F, 1.2F) - now;
    const Quat tilt = glm::angleAxis(pitch, right);
    const Quat both = turn * tilt;
    m_camera.eye = m_pivot + both * (m_camera.eye - m_pivot);
    m_camera.target = m_pivot + both * (m_camera.target - m_pivot);
  } else if (m_drag == Drag::Pan) {
    const float distance = std::max(0.1F, glm::dot(m_pivot - m_camera.eye, ahead));
    const float perPixel = 2 * distance * std::tan(0.5F * radians(m_camera.fieldOfViewDeg)) /
                           static_cast<float>(height());
    const Vec3 move = (-right * static_cast<float>(by.x()) + up * static_cast<float>(by.y())) * perPixel;
    m_camera.eye += move;
    m_camera.target += move;
  } else {
    const float factor = std::exp(static_cast<float>(by.y()) * 0.01F);
    m_camera.eye = m_camera.target + (m_camera.eye - m_camera.target) * factor;
  }
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
  if ((event->modifiers() & Qt::ShiftModifier) && m_tool && m_tool->wheel(static_cast<double>(steps))) return update();
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

void SiteView::goToCamera(std::size_t i) {
  if (!m_view || i >= m_view->plan->settings.cameras.size()) return;
  setCamera(cameraFrom(m_view->plan->settings.cameras[i]));
}

void SiteView::keyPressEvent(QKeyEvent* event) {
  if (event->key() != Qt::Key_Escape)
    return QWidget::keyPressEvent(event);  // all other keys are commands, see MainWindow::buildMenus
  m_pickedPlace.reset();
  select({});
  Q_EMIT picked({});
  if (m_isAsking) stopAsking();
  update();
}

}  // namespace arvesk
