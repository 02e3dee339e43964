// What Site draws over its picture: scale, legend, comparison, marks.
#include "app/site/site_view.h"

#include "app/window/theme.h"

#include <QLocale>
#include <QPainter>
#include <QPainterPath>

#include <cmath>

namespace arvesk {

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
  if (m_mode != SiteMode::Cover) paintAreas(p);
  if (m_tool) m_tool->paint(p, lens());
  paintMarks(p);
  paintTicks(p);
  if (const TouchHandles* handles = handlesNow()) handles->paint(p, lens());
  paintScale(p);
  paintLegend(p);
  if (m_held) paintCompare(p);
  if (m_view->isGrowing)
    paintWork(p);
  else if (m_walk.isOn())
    paintPill(p, m_walk.words());
  if (m_drag == Drag::Area && m_hasMoved) {
    const QPolygonF line = m_isLasso ? m_area : QPolygonF(QRectF(m_area.front(), m_area.back()).normalized());
    drawOutlined(p, line, Qt::white, 1.2);
  }
}

void SiteView::showAreas(const PlanPicture& of) {
  m_areas = of.areas;
  m_footprints = of.footprints;
  m_rooms = of.rooms;
  m_rings.clear();
  findFootprints();
  update();
}

namespace {

/// The nearest footprints of those that can be made out: those of a whole beach would be a gray veil.
std::vector<std::vector<Vec3>> ringsNear(const Points& points, const RoomRule& shape, const SiteLens& lens,
                                         const Task& task) {
  constexpr std::size_t kMost = 700;
  constexpr int kSides = 20;
  constexpr float kLeastPixels = 2.5F;
  struct Near {
    float distance;
    std::size_t index;
  };
  std::vector<Near> near;
  const float perMeter = 0.5F * static_cast<float>(lens.height) / std::tan(0.5F * radians(lens.camera.fieldOfViewDeg));
  const QRectF pane(-40, -40, lens.width + 80, lens.height + 80);
  for (std::size_t i = 0; i < points.count; ++i) {
    if ((i & 4095U) == 0 && task.isCancelled()) return {};
    const float distance = glm::distance(points.position[i], lens.camera.eye);
    if (points.effectiveFootprint(i) * perMeter < kLeastPixels * distance) continue;
    if (const auto at = lens.project(points.position[i]); at && pane.contains(*at)) near.push_back({distance, i});
  }
  if (near.size() > kMost) {
    std::nth_element(near.begin(), near.begin() + kMost, near.end(),
                     [](const Near& a, const Near& b) { return a.distance < b.distance; });
    near.resize(kMost);
  }
  std::vector<std::vector<Vec3>> out;
  if (shape.shape != RoomShape::Disc) {
    Rooms rooms(shape);
    for (const Near& n : near) {
      const std::int32_t prop = points.kit ? points.prop[n.index] : kNoProp;
      rooms.add(prop == kNoProp ? nullptr : points.kit->entries[static_cast<std::size_t>(prop)].prop,
                points.footprint[n.index], points.position[n.index], points.orientation[n.index], points.size[n.index]);
      if (task.isCancelled()) return {};
      // Their shadows, laid on the ground that the placement stands on.
      const Vec3& foot = points.position[n.index];
      const Vec3& normal = points.groundNormal[n.index];
      for (std::vector<Vec3>& line : rooms.outlines(rooms.count() - 1, foot.y)) {
        if (normal.y > 0.3F)
          for (Vec3& p : line) p.y -= (normal.x * (p.x - foot.x) + normal.z * (p.z - foot.z)) / normal.y;
        out.push_back(std::move(line));
      }
    }
    return out;
  }
  for (const Near& n : near) {
    bool isParallel = false;
    const Quat turn = turnFacing(points.groundNormal[n.index], kUp, isParallel);
    const float radius = points.effectiveFootprint(n.index);
    std::vector<Vec3>& ring = out.emplace_back();
    for (int k = 0; k <= kSides; ++k) {
      const float a = 2 * kPi * static_cast<float>(k) / kSides;
      ring.push_back(points.position[n.index] + turn * (radius * Vec3(std::cos(a), 0, std::sin(a))));
    }
  }
  return out;
}

}  // namespace

/// For where the camera is now.
void SiteView::findFootprints() {
  if (!m_footprints) return m_nearing.cancel();
  m_nearing.ask(
      [this, points = m_footprints, shape = m_rooms, camera = m_camera, w = width(), h = height()](const Task& task) {
        return Worker::Answer([this, rings = ringsNear(*points, shape, {camera, w, h}, task)] {
          m_rings = rings;
          update();
        });
      });
}

/// Rims lie on the ground and are seen through what stands there: they tell of room, which things take.
void SiteView::paintAreas(QPainter& p) {
  m_areasInSight = 0;
  const SiteLens seen = lens();
  const QRectF pane = QRectF(rect()).adjusted(-40, -40, 40, 40);
  p.setBrush(Qt::NoBrush);
  const auto draw = [&](const std::vector<Vec3>& rim, double width) {
    QPolygonF line;
    for (const Vec3& place : rim)
      if (const auto at = seen.project(place)) line << *at;
    if (line.size() != static_cast<qsizetype>(rim.size()) || !line.boundingRect().intersects(pane)) return;
    p.setPen(QPen(QColor(0x22, 0x30, 0x2F, 150), width + 1.6));
    p.drawPolyline(line);
    p.setPen(QPen(QColor(0xFC, 0xE9, 0x9A), width));
    p.drawPolyline(line);
    ++m_areasInSight;
  };
  for (const std::vector<Vec3>& area : m_areas) draw(area, 1.6);
  for (const std::vector<Vec3>& ring : m_rings) draw(ring, 1);
}

/// What is still being worked on while a plan opens.
void SiteView::paintWork(QPainter& p) {
  if (m_workLine.isEmpty()) return;
  paintPill(p, m_workLine);
}

/// A line of words at the lower edge.
void SiteView::paintPill(QPainter& p, const QString& words) const {
  const Theme& t = Theme::current();
  p.setFont(font());
  const QFontMetrics metrics(font());
  const QString line = metrics.elidedText(words, Qt::ElideMiddle, width() - 60);
  const QSizeF size(metrics.horizontalAdvance(line) + 24, 26);
  const QRectF pill(QPointF(0.5 * (width() - size.width()), height() - size.height() - 14), size);
  p.setPen(QPen(t.rule, 1));
  p.setBrush(t.card);
  p.drawRoundedRect(pill, 4, 4);
  p.setPen(t.ink);
  p.drawText(pill, Qt::AlignCenter, line);
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
  // On a card of its own: legible on any ground.
  const QColor card(0xF2, 0xEE, 0xE5, 225);
  const QColor ink(0x22, 0x30, 0x2F);
  p.setPen(Qt::NoPen);
  p.setBrush(card);
  p.drawRoundedRect(QRectF(x - 8, y - 22, std::max(40.0, length * perMeter) + 16, 31), 4, 4);
  p.setPen(QPen(ink, 1.5));
  p.drawPolyline(QPolygonF{QPointF(x, y - 4), QPointF(x, y), QPointF(x + length * perMeter, y),
                           QPointF(x + length * perMeter, y - 4)});
  QFont small = font();
  small.setPixelSize(12);
  p.setFont(small);
  p.drawText(QPointF(x, y - 7), QStringLiteral("%1 m").arg(QLocale().toString(length)));
  // Compass: north is −Z.
  const QPointF center(width() - 34, height() - 34);
  p.setPen(Qt::NoPen);
  p.setPen(Qt::NoPen);
  p.setBrush(card);
  p.drawEllipse(center, 22, 22);
  const Vec3 ahead = m_camera.target - m_camera.eye;
  const double turned = -std::atan2(static_cast<double>(ahead.x), static_cast<double>(-ahead.z));
  p.save();
  p.translate(center);
  p.rotate(turned * 180 / 3.14159265358979);
  p.setBrush(ink);
  p.drawPolygon(QPolygonF{QPointF(0, -11), QPointF(3.2, 0), QPointF(-3.2, 0)});
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(ink, 1));
  p.drawPolygon(QPolygonF{QPointF(0, 11), QPointF(3.2, 0), QPointF(-3.2, 0)});
  p.restore();
  QFont letter = font();
  letter.setPixelSize(9);
  letter.setWeight(QFont::DemiBold);
  p.setFont(letter);
  p.setPen(ink);
  const QPointF north = center + 16.5 * QPointF(std::sin(turned), -std::cos(turned));
  p.drawText(QRectF(north - QPointF(7, 7), QSizeF(14, 14)), Qt::AlignCenter, tr("N"));
}

void SiteView::paintLegend(QPainter& p) {
  const bool isColored = m_mode == SiteMode::Points && m_view && !m_view->pointValues.empty();
  if (m_mode != SiteMode::Mask && !isColored) return;
  const Theme& t = Theme::current();
  if (isColored && !m_view->palette.empty()) return paintGroups(p);
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
  const QString title = isColored ? QString::fromStdString(m_view->colorTitle) : m_maskTitle;
  const QLocale locale;
  p.drawText(box.adjusted(0, 3, 0, 0), Qt::AlignLeft | Qt::AlignTop,
             title.isEmpty() ? tr("select a mask in the Plan") : title);
  p.setPen(t.quiet);
  p.drawText(box.adjusted(0, 0, 0, -4), Qt::AlignLeft | Qt::AlignBottom,
             locale.toString(isColored ? static_cast<double>(m_view->colorFrom) : 0.0, 'g', 4));
  p.drawText(box.adjusted(0, 0, 0, -4), Qt::AlignRight | Qt::AlignBottom,
             locale.toString(isColored ? static_cast<double>(m_view->colorTo) : 1.0, 'g', 4));
}

/// What each color stands for; the most that fit, the others counted.
void SiteView::paintGroups(QPainter& p) const {
  const Theme& t = Theme::current();
  constexpr double kLine = 17;
  const auto all = static_cast<int>(m_view->groups.size());
  const int most = std::max(1, static_cast<int>((height() - 150) / kLine));
  const int shown = all <= most ? all : most - 1;
  const int lines = shown + (shown < all ? 1 : 0);
  QFont f = font();
  f.setPixelSize(11);
  p.setFont(f);
  const QRectF box(width() - 254, height() - 76 - lines * kLine, 176, lines * kLine + 12);
  p.setPen(Qt::NoPen);
  p.setBrush(QColor(t.card.red(), t.card.green(), t.card.blue(), 235));
  p.drawRoundedRect(box, 4, 4);
  for (int i = 0; i < lines; ++i) {
    const double y = box.top() + 6 + i * kLine;
    QString words = tr("and %1 more").arg(all - shown);
    if (i < shown) {
      const Vec3 c = m_view->palette[static_cast<std::size_t>(i)];
      p.setPen(Qt::NoPen);
      p.setBrush(QColor::fromRgbF(c.r, c.g, c.b));
      p.drawEllipse(QPointF(box.left() + 14, y + kLine / 2), 5, 5);
      words = QString::fromStdString(m_view->groups[static_cast<std::size_t>(i)]);
    }
    p.setPen(i < shown ? t.ink : t.quiet);
    p.drawText(QRectF(box.left() + 26, y, box.width() - 32, kLine), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(words, Qt::ElideMiddle, static_cast<int>(box.width()) - 34));
  }
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
  drawWords(p, QPointF(x - 14 - QFontMetricsF(f).horizontalAdvance(tr("before")), wordsY), tr("before"));
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
    rows.push_back(
        {node ? QString::fromStdString(node->title) : QString(), countIn(*m_held, source), countIn(*m_view, source)});
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
  line(box.top() + 4, QString(), tr("before"), tr("now"), tr("change"), t.quiet);
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
  constexpr double kHalf = 10;
  constexpr std::size_t kRoomForLargeOnes = 400;
  const bool isMany = m_selection.size() > kRoomForLargeOnes;
  const double size = isMany ? 3 : 6;
  const qreal ratio = devicePixelRatioF();
  if (isTinted() && m_tint.number == m_tintAsked && m_tint.camera == m_camera) p.drawImage(rect(), m_tint.image);
  if (!m_selection.empty() && (m_ring.isNull() || m_ring.devicePixelRatio() != ratio || m_hasSmallRing != isMany)) {
    m_hasSmallRing = isMany;
    m_ring = QPixmap(QSize(static_cast<int>(2 * kHalf * ratio), static_cast<int>(2 * kHalf * ratio)));
    m_ring.setDevicePixelRatio(ratio);
    m_ring.fill(Qt::transparent);
    QPainter r(&m_ring);
    r.setRenderHint(QPainter::Antialiasing);
    r.setPen(QPen(QColor(255, 255, 255, 200), isMany ? 2.5 : 3.5));
    r.drawEllipse(QPointF(kHalf, kHalf), size, size);
    r.setPen(QPen(ring, isMany ? 1.5 : 2));
    r.drawEllipse(QPointF(kHalf, kHalf), size, size);
  }
  const QRectF seen = QRectF(rect()).adjusted(-kHalf, -kHalf, kHalf, kHalf);
  // More rings than this could not be told apart.
  constexpr std::size_t kMostRings = 5000;
  for (std::size_t i = 0; i < std::min(kMostRings, isTinted() ? 0 : m_selection.size()); ++i)
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

}  // namespace arvesk
