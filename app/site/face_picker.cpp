#include "app/site/face_picker.h"

#include <QCoreApplication>

#include <algorithm>

namespace arvesk {
namespace {

/// Drawing more outlines than this would take longer than a frame may.
constexpr std::size_t kMostDrawn = 4000;

QPolygonF outline(const Surface& s, std::uint32_t face, const SiteLens& lens) {
  QPolygonF out;
  const UVec3 t = s.triangles[face];
  for (const std::uint32_t v : {t.x, t.y, t.z, t.x})
    if (const auto p = lens.project(s.positions[v])) out << *p;
  return out.size() == 4 ? out : QPolygonF();
}

}  // namespace

QString FacePicker::hint() const {
  return QCoreApplication::translate("Site", "faces: click or drag over them picks · Ctrl takes away");
}

const ParamSpec* FacePicker::spec() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? findNodeKind(node->kind) : nullptr;
  if (!kind) return nullptr;
  for (const ParamSpec& p : kind->params)
    if (p.type == ParamType::Faces && isShown(*kind, p, node->params)) return &p;
  return nullptr;
}

std::vector<double> FacePicker::picked() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* p = spec();
  return node && p ? std::get<std::vector<double>>(node->value(*p)) : std::vector<double>();
}

void FacePicker::showResults(const EvalViewPtr& view) {
  const Node* node = view->plan->find(m_uid.toStdString());
  const NodeKind* kind = node ? findNodeKind(node->kind) : nullptr;
  if (!kind || kind->inputs.empty()) return;
  const SurfacePtr surface = inputsOf(*view->plan, view->evaluation, *node).surface(kind->inputs.front().id);
  if (surface == m_surface) return;
  m_surface = surface;
  m_index.reset();
  if (!surface) return;
  m_job.ask([this, surface](const Task&) -> std::function<void()> {
    const auto index = SurfaceIndex::of(*surface);
    if (!index) return {};
    return [this, surface, made = *index] {
      if (surface == m_surface) m_index = made;
    };
  });
}

std::uint32_t FacePicker::faceAt(const SitePointer& pointer) const {
  if (!m_index) return kNoFace;
  return m_index->first(pointer.eye, pointer.direction, std::numeric_limits<float>::infinity()).face;
}

void FacePicker::take(const SitePointer& pointer) {
  const std::uint32_t face = faceAt(pointer);
  const ParamSpec* p = spec();
  if (face == kNoFace || !p) return;
  std::vector<double> now = picked();
  std::sort(now.begin(), now.end());
  const auto at = std::lower_bound(now.begin(), now.end(), static_cast<double>(face));
  const bool isThere = at != now.end() && *at == static_cast<double>(face);
  const bool takesAway = pointer.modifiers & Qt::ControlModifier;
  if (isThere != takesAway) return;
  if (takesAway)
    now.erase(at);
  else
    now.insert(at, static_cast<double>(face));
  m_model->setParam(m_uid, p->id, now, QStringLiteral("%1.faces.%2").arg(m_uid).arg(m_gesture));
}

bool FacePicker::press(const SitePointer& pointer, const SiteLens&) {
  if (!spec() || faceAt(pointer) == kNoFace) return false;
  ++m_gesture;
  take(pointer);
  return true;
}

void FacePicker::drag(const SitePointer& pointer, const SiteLens&) { take(pointer); }

void FacePicker::hover(const SitePointer& pointer, const SiteLens&) { m_lit = spec() ? faceAt(pointer) : kNoFace; }

void FacePicker::paint(QPainter& painter, const SiteLens& lens) const {
  if (!m_surface || !spec()) return;
  std::size_t drawn = 0;
  painter.setPen(QPen(Qt::white, 1));
  painter.setBrush(QColor(0x1D, 0x5F, 0x7A, 110));
  for (const double face : picked()) {
    if (face >= static_cast<double>(m_surface->faceCount()) || ++drawn > kMostDrawn) continue;
    painter.drawPolygon(outline(*m_surface, static_cast<std::uint32_t>(face), lens));
  }
  if (m_lit < m_surface->faceCount()) drawOutlined(painter, outline(*m_surface, m_lit, lens), Qt::white, 2);
}

}  // namespace arvesk
