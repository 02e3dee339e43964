#include "app/site/face_picker.h"

#include "core/base/sorting.h"
#include "core/nodes/face_rule.h"

#include <QCoreApplication>

#include <algorithm>

namespace arvesk {
namespace {

/// Drawing more outlines than this would take longer than a frame may.
constexpr std::size_t kMostDrawn = 4000;

/// The outline of a face's triangles on the screen.
std::vector<QPolygonF> outlinesOf(const Surface& s, const Faces& faces, std::uint32_t face, const SiteLens& lens) {
  std::vector<QPolygonF> out;
  for (const std::uint32_t triangle : faces.of(face)) {
    QPolygonF polygon;
    const UVec3 t = s.triangles[triangle];
    for (const std::uint32_t v : {t.x, t.y, t.z, t.x})
      if (const auto p = lens.project(s.positions[v])) polygon << *p;
    if (polygon.size() == 4) out.push_back(polygon);
  }
  return out;
}

}  // namespace

QString FacePicker::hint() const {
  return QCoreApplication::translate("Site", "faces: click or drag over them picks · Ctrl takes away");
}

const ParamSpec* FacePicker::spec() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return nullptr;
  for (const ParamSpec& p : kind->params)
    if (p.type == ParamType::Faces && isShown(*kind, p, node->params)) return &p;
  return nullptr;
}

FaceList FacePicker::picked() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const ParamSpec* p = spec();
  return node && p ? facesFrom(std::get<std::vector<double>>(node->value(*p))) : FaceList();
}

void FacePicker::showResults(const EvalViewPtr& view) {
  const Node* node = view->plan->find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind || kind->inputs.empty()) return;
  const SurfacePtr surface = inputsOf(view->opened(), view->evaluation, *node).surface(kind->inputs.front().id);
  const FaceRule rule = nodes::faceRuleOf(*kind, node->params);
  if (surface == m_surface && rule == m_rule) return;
  m_surface = surface;
  m_rule = rule;
  m_faces.reset();
  m_index.reset();
  m_lit = kNoTriangleFace;
  if (!surface) return;
  m_job.ask([this, surface, rule](const Task&) -> Worker::Answer {
    const auto index = SurfaceIndex::of(*surface);
    if (!index) return {};
    auto keys = std::make_shared<std::vector<std::pair<std::uint64_t, std::uint32_t>>>();
    for (std::uint32_t t = 0; t < surface->faceCount(); ++t) keys->push_back({surface->faceKey(t), t});
    sortLarge(*keys, std::less<>());  // a picker that is put away waits for this; no longer than a cancel takes
    return [this, surface, rule, made = *index, faces = facesBy(*surface, rule), keys] {
      if (surface != m_surface || !(rule == m_rule)) return;
      m_index = made;
      m_faces = faces;
      m_triangleOfKey = keys;
    };
  });
}

std::uint32_t FacePicker::faceAt(const SitePointer& pointer) const {
  if (!m_index || !m_faces) return kNoTriangleFace;
  const SurfaceHit hit = m_index->first(pointer.eye, pointer.direction, std::numeric_limits<float>::infinity());
  return hit.isHit() ? m_faces->ofTriangle[hit.face] : kNoTriangleFace;
}

void FacePicker::take(const SitePointer& pointer) {
  const std::uint32_t face = faceAt(pointer);
  const ParamSpec* p = spec();
  if (face == kNoTriangleFace || !p) return;
  FaceList now = picked();
  const auto isOfFace = [&](std::uint64_t key) {
    const auto triangles = m_faces->of(face);
    return std::any_of(triangles.begin(), triangles.end(),
                       [&](std::uint32_t t) { return m_surface->faceKey(t) == key; });
  };
  const bool isThere = std::any_of(now.keys.begin(), now.keys.end(), isOfFace);
  const bool takesAway = pointer.modifiers & Qt::ControlModifier;
  if (isThere != takesAway) return;
  if (takesAway)
    std::erase_if(now.keys, isOfFace);
  else
    now.keys.push_back(keyOfFace(*m_surface, *m_faces, face));
  std::sort(now.keys.begin(), now.keys.end());
  m_model->setParam(m_uid, p->id, numbersOf(now), QStringLiteral("%1.faces.%2").arg(m_uid).arg(m_gesture));
}

bool FacePicker::press(const SitePointer& pointer, const SiteLens&) {
  if (!spec() || faceAt(pointer) == kNoTriangleFace) return false;
  ++m_gesture;
  take(pointer);
  return true;
}

void FacePicker::drag(const SitePointer& pointer, const SiteLens&) { take(pointer); }

void FacePicker::hover(const SitePointer& pointer, const SiteLens&) {
  m_lit = spec() ? faceAt(pointer) : kNoTriangleFace;
}

void FacePicker::paint(QPainter& painter, const SiteLens& lens) const {
  if (!m_surface || !m_faces || !spec()) return;
  std::size_t drawn = 0;
  painter.setPen(QPen(Qt::white, 1));
  painter.setBrush(QColor(0x1D, 0x5F, 0x7A, 110));
  for (const std::uint64_t key : picked().keys) {
    const auto at = std::lower_bound(m_triangleOfKey->begin(), m_triangleOfKey->end(), std::pair(key, 0U));
    if (at == m_triangleOfKey->end() || at->first != key || ++drawn > kMostDrawn) continue;
    const std::uint32_t face = m_faces->ofTriangle[at->second];
    if (face == kNoTriangleFace) continue;
    for (const QPolygonF& polygon : outlinesOf(*m_surface, *m_faces, face, lens)) painter.drawPolygon(polygon);
  }
  if (m_lit < m_faces->count())
    for (const QPolygonF& polygon : outlinesOf(*m_surface, *m_faces, m_lit, lens))
      drawOutlined(painter, polygon, Qt::white, 2);
}

}  // namespace arvesk
