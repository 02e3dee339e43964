#include "app/model/plan_pictures.h"

#include "app/model/front_targets.h"

#include "app/model/top_view.h"
#include "app/model/words.h"
#include "core/deliver/delivery.h"
#include "core/deliver/shown_points.h"
#include "core/nodes/footprint_param.h"
#include "core/picture/render.h"
#include "core/plan/dials.h"
#include "core/spatial/ground.h"

#include <QCoreApplication>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kMaskPixels = 26;

/// The largest surface that the evaluation made; small mask pictures are taken over it.
SurfacePtr largestGround(const Evaluation& evaluation) {
  SurfacePtr best;
  for (const auto& [uid, outputs] : evaluation.values)
    for (const Value& value : outputs)
      if (const auto* s = std::get_if<SurfacePtr>(&value);
          s && *s && (!best || glm::length((*s)->bounds().extent()) > glm::length(best->bounds().extent())))
        best = *s;
  return best;
}

/// The surface that a card works on: connected to it, or to what its points come from.
SurfacePtr groundOf(const Plan& plan, const Evaluation& evaluation, const std::string& uid, int depth = 0) {
  const Node* node = plan.find(uid);
  if (!node || depth > 32) return nullptr;
  for (const auto& [id, links] : node->inputs)
    for (const Link& link : links)
      if (!link.isEmpty())
        if (SurfacePtr s = evaluation.firstOf<SurfacePtr>(link.node)) return s;
  const auto main = node->inputs.find("points");
  if (main == node->inputs.end() || main->second.empty()) return nullptr;
  return groundOf(plan, evaluation, main->second.front().node, depth + 1);
}

/// Asks the cards that use the mask, directly or through other masks, until one says true.
template <typename Ask>
bool askUsers(const Plan& plan, const std::string& maskUid, const Ask& ask, int depth = 0) {
  if (depth > 16) return false;
  for (const Node& node : plan.nodes)
    for (const auto& [id, links] : node.inputs)
      for (const Link& link : links) {
        if (link.node != maskUid) continue;
        const NodeKind* kind = kindOf(node);
        if (!kind) continue;
        if (kind->family == Family::Mask ? askUsers(plan, node.uid, ask, depth + 1) : ask(node)) return true;
      }
  return false;
}

float reachOf(const SurfacePtr& surface) { return surface ? glm::length(surface->bounds().extent()) : -1; }

/// The largest that a user of the mask works on: a part of a surface tells less.
SurfacePtr groundOfMask(const Plan& plan, const Evaluation& evaluation, const std::string& maskUid) {
  SurfacePtr best;
  askUsers(plan, maskUid, [&](const Node& user) {
    if (SurfacePtr s = groundOf(plan, evaluation, user.uid); reachOf(s) > reachOf(best)) best = std::move(s);
    return false;
  });
  return best;
}

/// Does a view from above show most of it? Not so of walls, and of bodies that stand on their own.
bool isSeenFromAbove(const Surface& ground) {
  constexpr std::size_t kAsked = 4096;
  constexpr float kSteep = 0.35F;
  float up = 0;
  float all = 0;
  const std::size_t step = std::max<std::size_t>(1, ground.faceCount() / kAsked);
  for (std::size_t f = 0; f < ground.faceCount(); f += step) {
    const UVec3 t = ground.triangles[f];
    const Vec3 cross = glm::cross(ground.positions[t.y] - ground.positions[t.x],
                                  ground.positions[t.z] - ground.positions[t.x]);
    const float area = glm::length(cross);
    all += area;
    if (cross.y > kSteep * area) up += area;
  }
  return up >= 0.4F * all;
}

/// Places on the ground in a square grid, as rays meet it; where one meets nothing there is no face.
Points groundGrid(const Surface& ground, const std::optional<Camera>& camera, const Task& task) {
  const auto index = SurfaceIndex::of(ground);
  const Box3 box = ground.bounds();
  Points p;
  p.count = static_cast<std::size_t>(kMaskPixels * kMaskPixels);
  Array<Vec3> position(p.count);
  Array<Vec3> normal(p.count);
  Array<std::uint32_t> face(p.count);
  Array<Vec2> uv(p.count);
  for (std::size_t i = 0; i < p.count && !task.isCancelled(); ++i) {
    const float u = (static_cast<float>(i % kMaskPixels) + 0.5F) / kMaskPixels;
    const float v = (static_cast<float>(i / kMaskPixels) + 0.5F) / kMaskPixels;
    Vec3 from(box.min.x + u * box.extent().x, box.max.y + 1, box.min.z + v * box.extent().z);
    Vec3 way = -kUp;
    if (camera) {
      from = camera->eye;
      way = camera->direction(u, v, 1);
    }
    position[i] = from;
    normal[i] = kUp;
    face[i] = kNoFace;
    uv[i] = {u, v};
    const SurfaceHit hit = index ? (*index)->first(from, way, std::numeric_limits<float>::infinity()) : SurfaceHit{};
    if (!hit.isHit()) continue;
    const GroundPlace place = groundPlaceOf(ground, hit);
    position[i] = place.position;
    normal[i] = place.normal;
    face[i] = place.face;
    uv[i] = place.uv;
  }
  p.position = std::move(position);
  p.groundNormal = std::move(normal);
  p.groundFace = std::move(face);
  p.groundUv = std::move(uv);
  return p;
}

/// From above, or where that says nothing as one of the plan's cameras sees it, or from the side.
std::optional<Camera> viewOf(const Plan& plan, const Surface& ground, const Task& task) {
  if (ground.faceCount() == 0 || isSeenFromAbove(ground)) return std::nullopt;
  for (const CameraEntry& entry : plan.settings.cameras) {
    const auto camera = cameraOf(plan, entry.name, ground.bounds());
    if (!camera) continue;
    const Points grid = groundGrid(ground, *camera, task);
    std::size_t met = 0;
    for (std::size_t i = 0; i < grid.count; ++i) met += grid.groundFace[i] != kNoFace;
    if (met * 5 > grid.count) return *camera;
  }
  return cameraFitting(ground.bounds(), {});
}

/// The mask's picture; and what is said of one that shows nothing.
std::pair<QImage, QString> maskPicture(const Mask& mask, const Points& grid) {
  Array<float> value(grid.count);
  mask.values(grid, 0, grid.count, value.data());
  float least = 2;
  float most = -1;
  for (std::size_t i = 0; i < grid.count; ++i)
    if (grid.groundFace[i] != kNoFace) {
      least = std::min(least, value[i]);
      most = std::max(most, value[i]);
    }
  QImage image(kMaskPixels, kMaskPixels, QImage::Format_RGB32);
  for (std::size_t i = 0; i < grid.count; ++i) {
    const Vec3 c = grid.groundFace[i] == kNoFace ? Vec3(0.9F, 0.89F, 0.86F) : scaleColor(value[i]);
    image.setPixel(static_cast<int>(i) % kMaskPixels, static_cast<int>(i) / kMaskPixels,
                   qRgb(static_cast<int>(c.r * 255), static_cast<int>(c.g * 255), static_cast<int>(c.b * 255)));
  }
  constexpr float kAlike = 0.004F;
  const auto tr = [](const char* words) { return QCoreApplication::translate("PlanPictures", words); };
  QString note;
  if (most < 0)
    note = tr("no ground in sight");
  else if (most - least < kAlike)
    note = most < kAlike        ? tr("0 all over")
           : least > 1 - kAlike ? tr("1 all over")
                                : tr("%1 all over").arg(static_cast<double>(most), 0, 'g', 2);
  return {image, note};
}

/// The band that the chart's handles move: where it is declared, its unit and usual range are the chart's.
const ParamSpec* bandOf(const NodeKind& kind, const Node& node) {
  for (const ParamSpec& p : kind.params)
    if (p.type == ParamType::Band && isShown(kind, p, node.params)) return &p;
  return nullptr;
}

/// The points that reach a card: a filter or adjustment gets its main input; a Sow node has only what it made.
PointsPtr pointsAt(const Evaluation& evaluation, const Node& node) {
  const auto main = node.inputs.find("points");
  return evaluation.firstOf<PointsPtr>(main != node.inputs.end() && !main->second.empty() ? main->second.front().node
                                                                                          : node.uid);
}

/// Those of the first user that gets any.
PointsPtr pointsOfMask(const Plan& plan, const Evaluation& evaluation, const std::string& maskUid) {
  PointsPtr found;
  askUsers(plan, maskUid, [&](const Node& user) { return (found = pointsAt(evaluation, user)) != nullptr; });
  return found;
}

std::shared_ptr<const Histogram> maskHistogram(const PointsPtr& points, const Node& node, const Mask& mask,
                                               const Task& task) {
  if (!points || points->count == 0) return nullptr;
  Array<float> measured(points->count);
  Array<float> value(points->count);
  const bool isMeasured = mask.measure(*points, 0, 0, nullptr);
  parallelPieces(task, points->count, 8192, [&](std::size_t begin, std::size_t end) {
    if (isMeasured) mask.measure(*points, begin, end, measured.data() + begin);
    mask.values(*points, begin, end, value.data() + begin);
  });
  if (task.isCancelled()) return nullptr;
  Array<std::uint8_t> isOn(points->count);
  for (std::size_t i = 0; i < points->count; ++i) isOn[i] = value[i] >= 0.5F;
  const NodeKind* kind = kindOf(node);
  const std::string label = said(kind->label).toLower().toStdString();
  const ParamSpec* band = isMeasured ? bandOf(*kind, node) : nullptr;
  if (!band)
    return std::make_shared<const Histogram>(
        makeHistogram(isMeasured ? label : "value", "", 0, 1, isMeasured ? measured : value, isOn));
  // Angles and shares have ends that everybody knows; for meters and counts the data's own range shows more.
  const bool hasKnownEnds = band->unit == Unit::Degree ||
                            (band->unit == Unit::None && band->hardMin == 0 && band->hardMax == 1);
  return std::make_shared<const Histogram>(
      makeHistogram(label, unitSuffix(band->unit), hasKnownEnds ? static_cast<float>(band->usualMin) : 0.0F,
                    hasKnownEnds ? static_cast<float>(band->usualMax) : 0.0F, measured, isOn));
}

/// What a node makes that is no mask: in numbers and, of points, from above beside what it was given.
PlanPicture ofNode(const EvalView& view, const std::string& uid, const SurfacePtr& ground, const Task& task) {
  const auto isOpened = view.evaluation.opened ? view.evaluation.opened->instances.find(uid)
                                               : std::map<std::string, OpenedInstance>::const_iterator();
  const bool isInstance = view.evaluation.opened && isOpened != view.evaluation.opened->instances.end();
  const Node* node = view.opened().find(uid);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!isInstance && (!kind || kind->family == Family::Mask)) return {};
  PlanPicture out;
  out.facts = factsOf(view.evaluation, uid, task);
  const PointsPtr made = view.evaluation.firstOf<PointsPtr>(uid);
  const PointsPtr given = isInstance ? arvesk::pointsAt(view.opened(), view.evaluation, isOpened->second.main)
                                     : givenTo(view.opened(), view.evaluation, *node);
  std::vector<PointsPtr> both;
  for (const PointsPtr& p : {given, made})
    if (p) both.push_back(p);
  const QRectF frame = frameAbout(both, ground, 1.3);
  if (made) out.picture = topView(ground, {made}, frame, task);
  if (given) out.before = topView(ground, {given}, frame, task);
  return out;
}

constexpr std::size_t kMostAreas = 600;

void addAreas(PlanPicture& to, const EvalView& view, const std::string& uid, const Task& task) {
  Plan plan = view.opened();
  followDials(plan, view.quality);
  const Node* node = plan.find(uid);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind || node->isSkipped || !view.evaluation.values.contains(uid)) return;
  if (kind->showsFootprints) to.footprints = view.evaluation.firstOf<PointsPtr>(uid);
  // Those that it goes by.
  if (const ParamSpec* is = kind->findParam("footprint_is"); is && to.footprints && isShown(*kind, *is, node->params))
    if (node->value(*is) == ParamValue(std::string("base"))) {
      to.footprints = withFootprints(to.footprints, Footprint::Base);
      to.rooms.of = Footprint::Base;
    }
  if (const ParamSpec* is = kind->findParam(nodes::kRoomShape);
      is && to.footprints && isShown(*kind, *is, node->params))
    for (std::size_t k = 0; k < is->options.size(); ++k)
      if (node->value(*is) == ParamValue(is->options[k].id)) to.rooms.shape = static_cast<RoomShape>(k);
  if (!kind->areas) return;
  EvalContext ctx = contextOf(plan, *node);
  ctx.task = {task.stop, {}};
  for (AreaRim& rim : kind->areas(ctx, inputsOf(plan, view.evaluation, *node), node->params, kMostAreas)) {
    if (task.isCancelled()) return;
    Box3 box;
    for (const Vec3& p : rim.line) box.add(p);
    const float reach = std::max(1.0F, 0.75F * glm::length(box.extent()));
    for (Vec3& p : rim.line)
      if (view.scene) p = view.scene->groundNear(p, rim.up, reach).value_or(p) + 0.02F * rim.up;
    to.areas.push_back(std::move(rim.line));
  }
}

/// What a text parameter of a node of the opened plan, with its dials followed, may name.
std::vector<NameCount> namesFor(const Plan& plan, const Evaluation& evaluation, const FrontTarget& target,
                                FileService* files, const Task& task) {
  const Node* node = plan.find(target.node);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const ParamSpec* spec = kind ? kind->findParam(target.param) : nullptr;
  if (!spec || !kind->names || spec->type != ParamType::Text || !isShown(*kind, *spec, node->params)) return {};
  EvalContext ctx = contextOf(plan, *node);
  ctx.task = {task.stop, {}};
  ctx.files = files;
  return kind->names(spec->id, ctx, inputsOf(plan, evaluation, *node), node->params);
}

/// What its parameters may name, and a band that suits what it measures from.
void addOffers(PlanPicture& to, const EvalView& view, const std::string& uid, FileService* files, const Task& task) {
  Plan plan = view.opened();
  followDials(plan, view.quality);
  if (view.evaluation.opened && view.evaluation.opened->instances.contains(uid)) {
    // Front controls name what the parameters do that they set.
    for (const FrontValue& front : view.evaluation.opened->instances.at(uid).fronts) {
      if (front.control.type != ParamType::Text || !files) continue;
      std::map<std::string, std::size_t> names;
      for (const FrontTarget& target : frontTargets(*view.plan, uid, front.control.id))
        for (const NameCount& n : namesFor(plan, view.evaluation, target, files, task))
          names[n.name] = std::max(names[n.name], n.count);
      for (const auto& [name, count] : names) to.names[front.control.id].push_back({name, count});
    }
    return;
  }
  const Node* node = plan.find(uid);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind || (!kind->names && !kind->bandForProps)) return;
  if (kind->bandForProps) to.bandForProps = kind->bandForProps(inputsOf(plan, view.evaluation, *node), node->params);
  if (kind->names && files)
    for (const ParamSpec& spec : kind->params)
      if (auto names = namesFor(plan, view.evaluation, {uid, spec.id}, files, task); !names.empty())
        to.names[spec.id] = std::move(names);
}

}  // namespace

void PlanPictureService::request(const EvalViewPtr& view, const QString& selected) {
  if (!view) return;
  m_worker.ask([this, view, selected = selected.toStdString()](const Task& task) -> Worker::Answer {
    const PlanPicturesPtr previews = make(*view, selected, task);
    if (!previews) return {};
    return [this, previews] {
      m_latest = previews;
      Q_EMIT ready();
    };
  });
}

void PlanPictureService::clear() {
  m_latest = std::make_shared<const PlanPictures>();
  Q_EMIT ready();
  m_worker.ask([this](const Task&) -> Worker::Answer {
    m_made.clear();
    m_seenBeds.clear();
    return {};
  });
}

void PlanPictureService::look(Seen& now, const Seen* before, const Task& task) const {
  now.picture = before && before->isOf(now) ? before->picture : topView(now.ground, now.points, now.frame, task);
}

PlanPicturesPtr PlanPictureService::make(const EvalView& view, const std::string& selected, const Task& task) {
  const SurfacePtr ground = largestGround(view.evaluation);
  const Plan& plan = view.opened();
  std::vector<std::pair<const Node*, Made>> made;
  std::map<SurfacePtr, std::pair<std::optional<Camera>, std::optional<Points>>> seen;  // how each ground is seen
  for (const Node& node : plan.nodes) {
    const MaskPtr mask = view.evaluation.firstOf<MaskPtr>(node.uid);
    if (!mask) continue;
    SurfacePtr own = groundOfMask(plan, view.evaluation, node.uid);
    if (!own) own = ground;
    std::optional<Camera> camera;
    if (own) {
      const auto [it, isNew] = seen.try_emplace(own);
      if (isNew) it->second.first = viewOf(plan, *own, task);
      camera = it->second.first;
    }
    made.push_back({&node, {mask, own, camera, pointsOfMask(plan, view.evaluation, node.uid), {}}});
    const Made& before = m_made[node.uid];
    if (own && !(before.mask == mask && before.ground == own && before.camera == camera))
      if (std::optional<Points>& grid = seen.at(own).second; !grid) grid = groundGrid(*own, camera, task);
  }
  if (task.isCancelled()) return nullptr;
  parallelPieces(task, made.size(), 1, [&](std::size_t i, std::size_t) {
    auto& [node, now] = made[i];
    const Made& before = m_made.at(node->uid);
    const bool isSameMask = before.mask == now.mask;
    if (now.ground && isSameMask && before.ground == now.ground && before.camera == now.camera) {
      now.preview.picture = before.preview.picture;
      now.preview.note = before.preview.note;
    } else if (now.ground) {
      std::tie(now.preview.picture, now.preview.note) = maskPicture(*now.mask, *seen.at(now.ground).second);
    } else {
      now.preview.note = QCoreApplication::translate("PlanPictures", "no ground yet");
    }
    if (isSameMask && before.points == now.points) now.preview.histogram = before.preview.histogram;
    if (node->uid == selected && !now.preview.histogram)
      now.preview.histogram = maskHistogram(now.points, *node, *now.mask, task);
  });
  std::vector<std::pair<const PaperItem*, Seen>> beds;
  // Of the document: nodes inside of sub-plans have their places on other paper.
  for (const PaperItem& item : view.plan->paper)
    if (item.sort == PaperItem::Sort::Bed)
      beds.push_back({&item, {leftByBed(*view.plan, view.evaluation, item), ground, {}, {}}});
  parallelPieces(task, beds.size(), 1, [&](std::size_t i, std::size_t) {
    auto& [item, bed] = beds[i];
    bed.frame = frameAbout(bed.points, ground, item->width / std::max(1.0, item->height * 0.75));  // below its title
    const auto before = m_seenBeds.find(item->uid);
    look(bed, before == m_seenBeds.end() ? nullptr : &before->second, task);
  });
  PlanPicture chosen = ofNode(view, selected, ground, task);
  addAreas(chosen, view, selected, task);
  PlanPicture offers;
  addOffers(offers, view, selected, m_files.get(), task);
  if (task.isCancelled()) return nullptr;
  auto previews = std::make_shared<PlanPictures>();
  m_made.clear();  // not before: who is cancelled leaves what there was
  for (auto& [node, now] : made) {
    (*previews)[node->uid] = now.preview;
    m_made[node->uid] = std::move(now);
  }
  m_seenBeds.clear();
  for (auto& [item, bed] : beds) {
    (*previews)[item->uid].picture = bed.picture;
    m_seenBeds[item->uid] = std::move(bed);
  }
  if (!chosen.facts.empty() || !chosen.areas.empty() || chosen.footprints) (*previews)[selected] = std::move(chosen);
  if (!offers.names.empty() || offers.bandForProps) {
    (*previews)[selected].names = std::move(offers.names);
    (*previews)[selected].bandForProps = offers.bandForProps;
  }
  return previews;
}

}  // namespace arvesk
