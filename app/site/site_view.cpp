#include "app/site/site_view.h"

#include "app/window/theme.h"

#include <QButtonGroup>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>

#include <cmath>

namespace arvesk {

SiteView::SiteView(QWidget* parent)
    : QWidget(parent), m_modes(new QFrame(this)), m_modeButtons(new QButtonGroup(this)), m_banner(new QFrame(this)), m_bannerText(new QLabel(m_banner)) {
  setObjectName(QStringLiteral("site"));
  setAccessibleName(tr("Site"));
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(200, 150);
  m_modes->setProperty("role", QStringLiteral("float"));
  auto* modes = new QHBoxLayout(m_modes);
  modes->setContentsMargins(4, 0, 4, 0);
  modes->setSpacing(2);
  const std::initializer_list<std::pair<QString, QString>> names{{tr("Dressed"), tr("Every placement as it is")}, {tr("Points"), tr("Discs that face their normal, in place of props")}, {tr("Mask"), tr("The selected mask on the ground")}};
  int id = 0;
  for (const auto& [name, help] : names) {
    auto* b = new QToolButton(m_modes);
    b->setText(name);
    b->setToolTip(help);
    b->setCheckable(true);
    b->setChecked(id == 0);
    b->setProperty("role", QStringLiteral("mode"));
    b->setObjectName(QStringLiteral("mode_%1").arg(id));
    m_modeButtons->addButton(b, id++);
    modes->addWidget(b);
  }
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
  Q_EMIT modeChanged(mode);
  requestFrame();
}

void SiteView::setInSite(const QString& title) {
  m_bannerText->setText(tr("In Site: %1").arg(title));
  m_banner->setVisible(!title.isEmpty());
  m_banner->adjustSize();
  m_banner->move(width() - m_banner->width() - 10, 10);
}

void SiteView::setMaskTitle(const QString& title) {
  m_maskTitle = title;
  update();
}

void SiteView::showResults(const EvalViewPtr& view) {
  const bool isNewPlan = m_isFirstView && view->scene;
  m_view = view;
  m_pickedPlace.reset();
  if (isNewPlan) {
    m_isFirstView = false;
    m_camera = cameraOf(*view->plan, {}, view->scene->bounds());
  }
  requestFrame();
}

void SiteView::setCamera(const Camera& camera) {
  m_camera = camera;
  m_isFirstView = false;
  requestFrame();
}

void SiteView::fitAll() {
  if (!m_view || !m_view->scene) {
    m_isFirstView = true;
    return;
  }
  m_camera = cameraFitting(m_view->scene->bounds(), m_camera);
  requestFrame();
}

void SiteView::requestFrame() {
  RenderRequest request;
  request.view = m_view;
  request.camera = m_camera;
  request.width = static_cast<int>(width() * devicePixelRatioF());
  request.height = static_cast<int>(height() * devicePixelRatioF());
  request.drawsPoints = m_mode == SiteMode::Points;
  m_renderer.request(std::move(request));
  update();
}

void SiteView::resizeEvent(QResizeEvent*) {
  m_modes->adjustSize();
  m_modes->move(10, 10);
  m_banner->move(width() - m_banner->width() - 10, 10);
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
    p.drawText(rect(), Qt::AlignCenter, m_view ? tr("Nothing to see yet: add ground, such as a Terrain or a Shape.") : tr("Reading the plan…"));
    return;
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(rect(), frame.image);
  paintOverlays(p);
}

void SiteView::paintOverlays(QPainter& p) {
  const Theme& t = Theme::current();
  p.setRenderHint(QPainter::Antialiasing);
  // Scale: a round length at the distance of what lies in the middle.
  const Frame& frame = m_renderer.latest();
  float middle = glm::distance(m_camera.eye, m_camera.target);
  if (frame.film) {
    const float d = frame.film->distance[frame.film->at(frame.film->width / 2, frame.film->height * 2 / 3)];
    if (std::isfinite(d)) middle = d;
  }
  const double perMeter = 0.5 * height() / (std::tan(0.5 * static_cast<double>(radians(m_camera.fieldOfViewDeg))) * static_cast<double>(middle));
  double length = std::pow(10, std::floor(std::log10(130 / perMeter)));
  for (const double m : {5.0, 2.0})
    if (length * m * perMeter < 140) {
      length *= m;
      break;
    }
  const auto outlined = [&](const QPointF& at, const QString& words, const QColor& color) {
    QPainterPath path;
    QFont f = font();
    f.setWeight(QFont::DemiBold);
    path.addText(at, f, words);
    p.setPen(QPen(QColor(0, 0, 0, 110), 3));
    p.drawPath(path);
    p.fillPath(path, color);
  };
  const double x = 17;
  const double y = height() - 17;
  p.setPen(QPen(QColor(0, 0, 0, 90), 4));
  p.drawLine(QPointF(x, y), QPointF(x + length * perMeter, y));
  p.setPen(QPen(Qt::white, 2));
  p.drawLine(QPointF(x, y), QPointF(x + length * perMeter, y));
  outlined(QPointF(x, y - 6), QStringLiteral("%1 m").arg(QLocale().toString(length)), Qt::white);
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
  if (m_mode == SiteMode::Mask || (m_mode == SiteMode::Points && !m_maskTitle.isEmpty())) {
    const QRectF box(width() - 280, height() - 58, 200, 44);
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(t.card.red(), t.card.green(), t.card.blue(), 235));
    p.drawRoundedRect(box.adjusted(-8, 0, 8, 0), 4, 4);
    for (int i = 0; i < 200; ++i) {
      const Vec3 c = scaleColor(static_cast<float>(i) / 199) * 255.0F;
      p.fillRect(QRectF(box.left() + i, box.top() + 22, 1.2, 8), QColor(static_cast<int>(c.r), static_cast<int>(c.g), static_cast<int>(c.b)));
    }
    QFont f = font();
    f.setPixelSize(11);
    p.setFont(f);
    p.setPen(t.ink);
    p.drawText(box.adjusted(0, 3, 0, 0), Qt::AlignLeft | Qt::AlignTop, m_maskTitle.isEmpty() ? tr("select a mask in the Plan") : m_maskTitle);
    p.setPen(t.quiet);
    p.drawText(box.adjusted(0, 0, 0, 2), Qt::AlignLeft | Qt::AlignBottom, QStringLiteral("0"));
    p.drawText(box.adjusted(0, 0, 0, 2), Qt::AlignRight | Qt::AlignBottom, QStringLiteral("1"));
  }
  if (m_pickedPlace) {
    const Vec3 at = m_camera.projected(*m_pickedPlace, width(), height());
    if (at.z > 0) {
      p.setPen(QPen(QColor(0x1D, 0x5F, 0x7A), 2));
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(QPointF(static_cast<double>(at.x), static_cast<double>(at.y)), 9, 9);
      outlined(QPointF(static_cast<double>(at.x) + 14, static_cast<double>(at.y) - 6), m_pickedWords, Qt::white);
    }
  }
}

Vec3 SiteView::rayAt(const QPointF& p) const {
  return m_camera.direction(static_cast<float>(p.x() / width()), static_cast<float>(p.y() / height()), static_cast<float>(width()) / static_cast<float>(height()));
}

void SiteView::pick(const QPointF& p) {
  m_pickedPlace.reset();
  m_pickedWords.clear();
  if (!m_view || !m_view->scene) return;
  // One ray costs microseconds; this is not the computing that the interface thread must keep from.
  const Vec3 d = rayAt(p);
  const PictureRayHit hit = m_view->scene->first(m_camera.eye, d);
  if (hit.isHit()) {
    const PictureInstance& in = m_view->scene->instance(hit.instance);
    const Vec3 at = m_camera.eye + d * hit.distance;
    m_pickedPlace = at;
    if (in.layer == kGround) {
      m_pickedWords = tr("%1, %2, %3 m").arg(static_cast<double>(at.x), 0, 'f', 2).arg(static_cast<double>(at.y), 0, 'f', 2).arg(static_cast<double>(at.z), 0, 'f', 2);
      Q_EMIT picked(m_pickedWords, -1, -1);
    } else {
      const Points& points = *m_view->scene->input().layers[in.layer].points;
      const Prop& prop = *points.kit->entries[static_cast<std::size_t>(points.prop[in.point])].prop;
      m_pickedWords = tr("%1 · %2 m high").arg(QString::fromStdString(prop.name)).arg(static_cast<double>(prop.height * points.size[in.point].y), 0, 'f', 2);
      Q_EMIT picked(m_pickedWords, static_cast<int>(in.layer), static_cast<int>(in.point));
    }
  } else {
    Q_EMIT picked({}, -1, -1);
  }
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
  m_pivot = m_camera.target;
  if (m_view && m_view->scene) {
    const Vec3 d = rayAt(event->position());
    const PictureRayHit hit = m_view->scene->first(m_camera.eye, d);
    if (hit.isHit()) m_pivot = m_camera.eye + d * hit.distance;
  }
}

void SiteView::mouseMoveEvent(QMouseEvent* event) {
  if (m_drag == Drag::None) return;
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
    const float perPixel = 2 * distance * std::tan(0.5F * radians(m_camera.fieldOfViewDeg)) / static_cast<float>(height());
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
  if (drag == Drag::None && event->button() == Qt::LeftButton) pick(event->position());
}

void SiteView::wheelEvent(QWheelEvent* event) {
  const float steps = static_cast<float>(event->angleDelta().y()) / 120.0F;
  Vec3 toward = m_camera.target;
  if (m_view && m_view->scene) {
    const Vec3 d = rayAt(event->position());
    const PictureRayHit hit = m_view->scene->first(m_camera.eye, d);
    toward = hit.isHit() ? m_camera.eye + d * hit.distance : m_camera.eye + d * glm::distance(m_camera.eye, m_camera.target);
  }
  const Vec3 move = (toward - m_camera.eye) * (1 - std::pow(0.85F, steps));
  m_camera.eye += move;
  m_camera.target += move * 0.98F;
  requestFrame();
}

void SiteView::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Home) return fitAll();
  if (event->key() == Qt::Key_F) {
    if (!m_pickedPlace) return fitAll();
    const Vec3 back = directionOr(m_camera.eye - m_camera.target, Vec3(0.6F, 0.5F, 0.6F));
    m_camera.target = *m_pickedPlace;
    m_camera.eye = *m_pickedPlace + back * 6.0F;
    return requestFrame();
  }
  if (event->key() >= Qt::Key_1 && event->key() <= Qt::Key_4 && m_view) {
    const auto& cameras = m_view->plan->settings.cameras;
    const auto i = static_cast<std::size_t>(event->key() - Qt::Key_1);
    if (i < cameras.size()) setCamera({cameras[i].eye, cameras[i].target, cameras[i].fieldOfViewDeg});
    return;
  }
  if (event->key() == Qt::Key_Escape) {
    m_pickedPlace.reset();
    update();
    return;
  }
  QWidget::keyPressEvent(event);
}

}  // namespace arvesk
