#include "app/site/site_tool.h"

#include "app/site/face_picker.h"
#include "app/site/mask_brush.h"
#include "app/site/region_handles.h"

#include <algorithm>

namespace arvesk {

std::unique_ptr<SiteTool> makeSiteTool(PlanModel* model, const QString& uid) {
  const Node* node = model->plan().find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return nullptr;
  const auto has = [&](auto&& test) { return std::any_of(kind->params.begin(), kind->params.end(), test); };
  if (has([](const ParamSpec& p) { return p.type == ParamType::Strokes; }))
    return std::make_unique<MaskBrush>(model, uid);
  if (has([](const ParamSpec& p) { return p.type == ParamType::Faces; }))
    return std::make_unique<FacePicker>(model, uid);
  if (has([](const ParamSpec& p) { return p.siteRole == SiteRole::Center; }))
    return std::make_unique<RegionHandles>(model, uid);
  return nullptr;
}

void drawOutlined(QPainter& painter, const QPolygonF& line, const QColor& color, double width) {
  if (line.size() < 2) return;
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(QColor(0, 0, 0, 110), width + 2));
  painter.drawPolyline(line);
  painter.setPen(QPen(color, width));
  painter.drawPolyline(line);
}

}  // namespace arvesk
