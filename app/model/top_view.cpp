#include "app/model/top_view.h"

#include "core/plan/tidy.h"
#include "core/spatial/ground.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

constexpr int kPixels = 160 * 120;
constexpr std::size_t kMostDots = 12000;
constexpr QRgb kBare = qRgb(206, 199, 184);
constexpr QRgb kDot = qRgb(31, 66, 58);

/// The ground's rise and fall, lit from the northwest as on maps.
void shadeGround(QImage& image, const SurfacePtr& ground, const QRectF& frame, const Task& task) {
  if (!ground) return;
  const auto index = SurfaceIndex::of(*ground);
  if (!index) return;
  const Box3 box = ground->bounds();
  const Vec3 light = glm::normalize(Vec3(-1, 1.2F, -1));
  const int pixelsWide = image.width();
  const int pixelsHigh = image.height();
  for (int y = 0; y < pixelsHigh && !task.isCancelled(); ++y) {
    auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
    for (int x = 0; x < pixelsWide; ++x) {
      const Vec3 from(static_cast<float>(frame.left() + (x + 0.5) / pixelsWide * frame.width()), box.max.y + 1,
                      static_cast<float>(frame.top() + (y + 0.5) / pixelsHigh * frame.height()));
      const SurfaceHit hit = (*index)->first(from, -kUp, box.extent().y + 2);
      if (!hit.isHit()) continue;
      const float lit = std::max(0.0F, glm::dot(groundPlaceOf(*ground, hit).normal, light));
      const auto shade = [lit](float full) {
        return std::clamp(static_cast<int>(full * (0.72F + 0.42F * lit)), 0, 255);
      };
      line[x] = qRgb(shade(222), shade(214), shade(196));
    }
  }
}

}  // namespace

std::vector<PointsPtr> leftByBed(const Plan& plan, const Evaluation& evaluation, const PaperItem& bed) {
  std::set<std::string> fed;  // whose points a card of the bed takes at its main input
  std::vector<std::string> cards;
  const auto look = [&](const Node& n) {
    const NodeKind* kind = kindOf(n);
    if (!kind) return;
    if (!kind->isLayer) cards.push_back(n.uid);
    // What is made of points, as fog is, is seen by the points.
    if (kind->inputs.empty() || kind->isLayer || kind->outputs.empty() ||
        kind->outputs.front().type != ValueType::Points)
      return;
    if (const auto in = n.inputs.find(kind->inputs.front().id); in != n.inputs.end())
      for (const Link& l : in->second) fed.insert(l.node);
  };
  const auto pointsOf = [&](const std::string& uid) {
    std::vector<PointsPtr> out;
    if (const auto values = evaluation.values.find(uid); values != evaluation.values.end())
      for (const Value& value : values->second)
        if (const auto* p = std::get_if<PointsPtr>(&value); p && *p && (*p)->count > 0) out.push_back(*p);
    return out;
  };
  for (const Node& n : plan.nodes) {
    if (!liesOn(n, bed)) continue;
    const auto opened = evaluation.opened ? evaluation.opened->instances.find(n.uid)
                                          : std::map<std::string, OpenedInstance>::const_iterator();
    const bool isOpened = evaluation.opened && opened != evaluation.opened->instances.end();
    if (!isOpened || !pointsOf(n.uid).empty()) {
      look(n);
      continue;
    }
    for (const std::string& inner : opened->second.nodes)
      if (const Node* node = evaluation.opened->plan.find(inner)) look(*node);
  }
  std::vector<PointsPtr> left;
  for (const std::string& uid : cards) {
    if (fed.contains(uid)) continue;
    if (evaluation.opened && evaluation.opened->instances.contains(uid)) {
      for (PointsPtr& p : pointsOf(uid)) left.push_back(std::move(p));
    } else if (PointsPtr p = evaluation.firstOf<PointsPtr>(uid); p && p->count > 0) {
      left.push_back(std::move(p));
    }
  }
  return left;
}

QRectF frameAbout(const std::vector<PointsPtr>& points, const SurfacePtr& ground, double shape) {
  Box3 box;
  for (const PointsPtr& p : points)
    for (std::size_t i = 0; i < p->count; ++i) box.add(p->position[i]);
  if (box.isEmpty()) return {};
  shape = std::clamp(shape, 0.4, 3.5);
  // Never so close that nothing of the place can be told.
  const double least = ground ? 0.04 * static_cast<double>(glm::length(ground->bounds().extent())) : 1.0;
  const double high = std::max(least, 1.16 * static_cast<double>(box.extent().z));
  const double wide = std::max({least, 1.16 * static_cast<double>(box.extent().x), high * shape});
  QRectF frame(0, 0, wide, wide / shape);
  frame.moveCenter(QPointF(static_cast<double>(box.center().x), static_cast<double>(box.center().z)));
  return frame;
}

QImage topView(const SurfacePtr& ground, const std::vector<PointsPtr>& points, const QRectF& frame, const Task& task) {
  if (frame.isEmpty() || task.isCancelled()) return {};
  std::size_t count = 0;
  for (const PointsPtr& p : points) count += p->count;
  const double shape = frame.width() / frame.height();
  const int high = static_cast<int>(std::sqrt(kPixels / shape));
  const int wide = static_cast<int>(high * shape);
  QImage image(wide, high, QImage::Format_RGB32);
  image.fill(kBare);
  shadeGround(image, ground, frame, task);
  QPainter p(&image);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  const std::size_t shown = std::clamp<std::size_t>(count, 1, kMostDots);
  const double radius = std::clamp(34 / std::sqrt(static_cast<double>(shown)), 0.55, 2.6);
  QColor color(kDot);
  color.setAlpha(shown > 3000 ? 150 : 230);
  p.setBrush(color);
  const std::size_t step = (count + kMostDots - 1) / kMostDots;
  std::size_t at = 0;
  for (const PointsPtr& some : points)
    for (std::size_t i = 0; i < some->count && !task.isCancelled(); ++i) {
      if (at++ % step != 0) continue;
      const Vec3 place = some->position[i];
      p.drawEllipse(QPointF((static_cast<double>(place.x) - frame.left()) / frame.width() * wide,
                            (static_cast<double>(place.z) - frame.top()) / frame.height() * high),
                    radius, radius);
    }
  p.end();
  return task.isCancelled() ? QImage() : image;
}

}  // namespace arvesk
