#include "app/site/site_tool.h"

#include "app/site/face_picker.h"
#include "app/site/hand_brush.h"
#include "app/site/mask_brush.h"
#include "app/site/parent_picker.h"
#include "app/site/region_handles.h"
#include "app/site/touch_brush.h"

#include <algorithm>
#include <cmath>

namespace arvesk {

std::unique_ptr<SiteTool> makeSiteTool(PlanModel* model, const QString& uid,
                                       const std::shared_ptr<FileService>& files) {
  const Node* node = model->plan().find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return nullptr;
  const auto has = [&](auto&& test) { return std::any_of(kind->params.begin(), kind->params.end(), test); };
  if (has([](const ParamSpec& p) { return p.type == ParamType::Strokes; }))
    return std::make_unique<MaskBrush>(model, uid);
  if (has([](const ParamSpec& p) { return p.type == ParamType::Points; }))
    return std::make_unique<HandBrush>(model, uid, files);
  if (has([](const ParamSpec& p) { return p.type == ParamType::Touches; }))
    return std::make_unique<TouchBrush>(model, uid);
  if (has([](const ParamSpec& p) { return p.type == ParamType::Faces; }))
    return std::make_unique<FacePicker>(model, uid);
  if (has([](const ParamSpec& p) { return p.siteRole == SiteRole::Center; }))
    return std::make_unique<RegionHandles>(model, uid);
  if (std::string names = ParentPicker::paramOf(*model, uid); !names.empty())
    return std::make_unique<ParentPicker>(model, uid, std::move(names), files);
  return nullptr;
}

std::vector<Vec3> dabsBetween(const Vec3& from, const Vec3& to, float radius) {
  constexpr float kStep = 0.3F;
  constexpr int kMost = 200;
  const Vec3 way = to - from;
  const int count = std::min(kMost, static_cast<int>(glm::length(way) / (kStep * radius)));
  std::vector<Vec3> out;
  for (int i = 1; i <= count; ++i) out.push_back(from + way * (static_cast<float>(i) / static_cast<float>(count)));
  return out;
}

std::vector<Vec3> SiteLens::ringAt(const Vec3& center, const Vec3& normal, float radius) const {
  constexpr int kSides = 48;
  const Vec3 side = directionOr(glm::cross(normal, std::abs(normal.x) < 0.9F ? Vec3(1, 0, 0) : Vec3(0, 0, 1)),
                                Vec3(1, 0, 0));
  const Vec3 other = glm::cross(normal, side);
  std::vector<Vec3> out;
  for (int i = 0; i <= kSides; ++i) {
    const float a = 2 * kPi * static_cast<float>(i) / kSides;
    out.push_back(center + radius * (std::cos(a) * side + std::sin(a) * other) + 0.01F * radius * normal);
  }
  return out;
}

std::vector<Vec3> SiteLens::ringOnGround(const Vec3& center, const Vec3& normal, float radius) const {
  std::vector<Vec3> out = ringAt(center, normal, radius);
  if (!scene) return out;
  for (Vec3& place : out)
    if (const auto at = scene->groundNear(place, normal, radius)) place = *at + 0.01F * radius * normal;
  return out;
}

void drawInWorld(QPainter& painter, const SiteLens& lens, const std::vector<Vec3>& line, const QColor& color,
                 double width) {
  constexpr double kPiece = 14;  // px
  const QColor faint(color.red(), color.green(), color.blue(), color.alpha() / 4);
  QPolygonF run;
  bool isHidden = false;
  const auto end = [&] {
    if (isHidden) {
      painter.setBrush(Qt::NoBrush);
      painter.setPen(QPen(faint, width));
      painter.drawPolyline(run);
    } else {
      drawOutlined(painter, run, color, width);
    }
    run.clear();
  };
  const auto add = [&](const Vec3& world) {
    const auto at = lens.project(world);
    if (!at) return end();
    const bool isNowHidden = lens.isHidden(world);
    if (isNowHidden != isHidden && !run.isEmpty()) {
      run << *at;
      end();
    }
    isHidden = isNowHidden;
    run << *at;
  };
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (i > 0) {
      const auto a = lens.project(line[i - 1]);
      const auto b = lens.project(line[i]);
      const int pieces = a && b ? std::clamp(static_cast<int>(QLineF(*a, *b).length() / kPiece), 1, 200) : 8;
      for (int k = 1; k < pieces; ++k)
        add(glm::mix(line[i - 1], line[i], static_cast<float>(k) / static_cast<float>(pieces)));
    }
    add(line[i]);
  }
  end();
}

void drawHandle(QPainter& painter, HandleShape shape, const QPointF& at, const std::optional<QPointF>& middle,
                bool isLit, int alpha) {
  painter.setPen(QPen(QColor(0x1D, 0x5F, 0x7A, alpha), 2));
  painter.setBrush(isLit ? QColor(0x1D, 0x5F, 0x7A) : QColor(0xFC, 0xFB, 0xF8, alpha));
  switch (shape) {
    case HandleShape::Square: painter.drawRect(QRectF(at.x() - 6, at.y() - 6, 12, 12)); break;
    case HandleShape::Round: painter.drawEllipse(at, 5.5, 5.5); break;
    case HandleShape::Arrow: {
      const QPointF way = middle ? at - *middle : QPointF(0, -1);
      const QPointF out = way / std::max(1e-6, std::hypot(way.x(), way.y()));
      const QPointF aside(-out.y(), out.x());
      painter.drawPolygon(QPolygonF{at + 9 * out, at - 5 * out + 7 * aside, at - 5 * out - 7 * aside});
      break;
    }
    case HandleShape::Corner:
      painter.drawPolygon(QPolygonF{at + QPointF(0, -7), at + QPointF(7, 0), at + QPointF(0, 7), at + QPointF(-7, 0)});
      break;
  }
}

void drawOutlined(QPainter& painter, const QPolygonF& line, const QColor& color, double width) {
  if (line.size() < 2) return;
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(QColor(0, 0, 0, 110 * color.alpha() / 255), width + 2));
  painter.drawPolyline(line);
  painter.setPen(QPen(color, width));
  painter.drawPolyline(line);
}

}  // namespace arvesk
