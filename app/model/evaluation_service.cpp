#include "app/model/evaluation_service.h"

#include "app/model/frame_store.h"
#include "app/model/words.h"
#include "core/deliver/titles.h"
#include "core/picture/render.h"
#include "core/plan/prop_making.h"
#include "core/props/quantities.h"

#include <QTimer>

#include <tbb/task_arena.h>

#include <algorithm>
#include <chrono>
#include <tuple>

namespace arvesk {
namespace {

constexpr int kGrowMs = 500;
/// What is evaluated within it is shown though the plan was edited meanwhile: so the picture follows a drag. When that
/// was in vain once, what follows is begun anew at each edit, until one is evaluated whole.
constexpr std::chrono::milliseconds kPasses{400};
/// Along the longer side: fine enough to see a clump, coarse enough to see a density.
constexpr int kCoverCells = 220;

/// Colors the shown points by the output or node they come from, or by their prop.
void colorByGroup(bool isByProp, EvalView& view) {
  std::map<std::string, float> known;  // by uid: several may be called the same
  const auto placeOf = [&](const std::string& uid, const std::string& name) {
    const auto [it, isNew] = known.emplace(uid, static_cast<float>(view.groups.size()));
    if (isNew) view.groups.push_back(name);
    return it->second;
  };
  for (const PictureLayer& layer : view.shown) {
    const Points& points = *layer.points;
    Array<float>& values = view.pointValues.emplace_back(points.count);
    if (!isByProp) {
      std::fill(values.begin(), values.end(), placeOf(layer.source, titleOf(view.evaluation, layer.source)));
      continue;
    }
    std::vector<float> ofProp;
    if (points.kit)
      for (const KitEntry& e : points.kit->entries) ofProp.push_back(placeOf(e.prop->uid, e.prop->name));
    std::optional<float> none;
    for (std::size_t i = 0; i < points.count; ++i) {
      if (points.prop[i] == kNoProp && !none) none = placeOf({}, said("no prop").toStdString());
      values[i] = points.prop[i] == kNoProp ? *none : ofProp[static_cast<std::size_t>(points.prop[i])];
    }
  }
  view.palette = groupColors(view.groups.size());
}

/// Colors the shown points by a number that they carry, from its least to its greatest value.
void colorByNumber(const std::string& name, EvalView& view) {
  for (const PictureLayer& layer : view.shown)
    for (const std::string& n : numberNames(*layer.points)) view.colorNames.insert(n);
  if (name.empty()) return;
  view.pointValues.clear();
  if (name == kByOutput || name == kByProp) return colorByGroup(name == kByProp, view);
  view.colorTitle = name;
  float least = std::numeric_limits<float>::max();
  float most = std::numeric_limits<float>::lowest();
  for (const PictureLayer& layer : view.shown) {
    Array<float>& values = view.pointValues.emplace_back(layer.points->count);
    if (!readNumbers(*layer.points, name, 0, layer.points->count, values.data())) continue;
    for (const float v : values) {
      least = std::min(least, v);
      most = std::max(most, v);
    }
  }
  if (least > most) least = most = 0;
  for (Array<float>& values : view.pointValues)
    for (float& v : values) v = most > least ? (v - least) / (most - least) : 0.5F;
  view.colorFrom = least;
  view.colorTo = most;
}

}  // namespace

EvaluationService::EvaluationService(QObject* parent)
    : QObject(parent), m_files(std::make_shared<DiskFileService>("")), m_frames(std::make_unique<FrameStore>()) {
  connect(&m_worker, &Worker::failed, this, [this](const QString& line) {
    m_ahead.reset();
    Q_EMIT failed(line);
  });
}

EvaluationService::~EvaluationService() { m_worker.disconnect(this); }

void EvaluationService::beginPlan() { m_isOpening = true; }

void EvaluationService::setFolder(const QString& folder) { m_files->setFolder(folder.toStdString()); }

void EvaluationService::request(Request request) {
  m_thumbnailWorker.cancel();
  m_growingWorker.cancel();
  request.number = m_lastAsked.number + 1;
  const bool isFollowing = !m_isOpening && m_isFollowing && request.isSameLook(m_lastAsked);
  // After an edit other frames are wrong; the same once more is asked for when files changed.
  const bool isOtherFrame = !m_isOpening && request.edition == m_lastAsked.edition && request.plan != m_lastAsked.plan;
  if (request.edition != m_lastAsked.edition || (!isOtherFrame && request.isSameLook(m_lastAsked))) m_frames->clear();
  m_lastAsked = request;
  m_isDelivering = false;
  if (const EvalViewPtr ready = isOtherFrame ? m_frames->find(request) : nullptr) {
    if (!m_ahead) m_worker.cancel();
    m_isDelivering = true;
    Q_EMIT started();
    QMetaObject::invokeMethod(
        this,
        [this, request, ready] {
          if (request.number == m_lastAsked.number) finish(request, ready);
        },
        Qt::QueuedConnection);
    return;
  }
  if (isOtherFrame && m_ahead && m_ahead->plan == request.plan && m_ahead->isSameLook(request)) {
    m_ahead.reset();  // it is under way
    Q_EMIT started();
    return;
  }
  m_ahead.reset();
  m_opening = m_isOpening ? std::make_shared<Opening>() : nullptr;
  if (m_opening) m_opening->request = request;
  m_worker.ask(
      [this, request = std::move(request), opening = m_opening](const Task& task) -> Worker::Answer {
        QElapsedTimer clock;
        clock.start();
        const EvalViewPtr view = compute(request, opening, task);
        if (view)
          m_isFollowing = true;
        else if (clock.elapsed() >= kPasses.count())
          m_isFollowing = false;
        if (!view) return [this] { Q_EMIT wasCancelled(); };
        return [this, view] {
          if (view->request != m_lastAsked.number) {
            Q_EMIT passed(view);
            return;
          }
          finish(m_lastAsked, view);
        };
      },
      isFollowing ? kPasses : std::chrono::milliseconds(0));
  Q_EMIT started();
}

void EvaluationService::finish(const Request& request, const EvalViewPtr& view) {
  m_isDelivering = false;
  if (m_isOpening)
    m_growingWorker.ask([this](const Task&) -> Worker::Answer {
      m_growingScene = nullptr;  // what it traced is not held beside the whole
      return {};
    });
  m_opening = nullptr;
  m_isOpening = false;
  m_latest = view;
  if (view->plan->settings.time) {
    m_frames->keep(request, view);
    Q_EMIT frameReady();
  }
  Q_EMIT finished();
  drawThumbnails(view);
  workAhead();
}

void EvaluationService::setAhead(std::function<std::optional<Request>()> next) { m_nextAhead = std::move(next); }

bool EvaluationService::isReady(const Request& request) const { return m_frames->holds(request); }

void EvaluationService::workAhead() {
  if (!m_nextAhead || m_isOpening || m_worker.isBusy() || m_isDelivering || !FrameStore::hasRoom()) return;
  std::optional<Request> next = m_nextAhead();
  if (!next || m_frames->holds(*next)) return;
  m_ahead = *next;
  m_worker.ask(
      [this, request = std::move(*next), generation = m_frames->generation()](const Task& task) -> Worker::Answer {
        const EvalViewPtr view = compute(request, nullptr, task);
        return [this, request, view, generation] {
          if (!view || generation != m_frames->generation()) return;  // edited since, or its files changed
          const bool isAwaited = m_lastAsked.plan == request.plan && m_lastAsked.isSameLook(request) &&
                                 m_latest != view && (!m_latest || m_latest->plan != request.plan);
          m_ahead.reset();
          if (isAwaited) return finish(m_lastAsked, view);
          m_frames->keep(request, view);
          Q_EMIT frameReady();
          workAhead();
        };
      });
}

bool EvaluationService::Request::isSameLook(const Request& other) const {
  const auto look = [](const Request& r) {
    return std::tie(r.quality, r.inSite, r.maskOnGround, r.isPoints, r.colorBy, r.colorByNumber, r.isCover, r.isMassing,
                    r.exploded, r.areCutsShown, r.hidden);
  };
  return look(*this) == look(other);
}

void EvaluationService::cancel() {
  m_thumbnailWorker.cancel();
  if (!m_worker.isBusy()) return;
  m_worker.cancel();
  if (std::exchange(m_ahead, std::nullopt)) return;
  Q_EMIT wasCancelled();
}

void EvaluationService::drawThumbnails(const EvalViewPtr& view) {
  m_thumbnailWorker.ask([this, view](const Task& task) -> Worker::Answer {
    constexpr int kPixels = 176;  // for 88 px at twice the density
    for (const PropPtr& prop : view->props) {
      if (prop->isMissing || m_drawn[prop->uid] == prop) continue;
      const Array<std::uint32_t> pixels = renderThumbnail(prop, kPixels, kPixels, Vec3(0.925F, 0.910F, 0.870F), task);
      if (pixels.empty() || task.isCancelled()) return {};
      m_drawn[prop->uid] = prop;
      const QImage image =
          QImage(reinterpret_cast<const uchar*>(pixels.data()), kPixels, kPixels, QImage::Format_RGB32).copy();
      m_thumbnailWorker.post([this, uid = prop->uid, image] {
        m_thumbnails[uid] = image;
        Q_EMIT thumbnailReady(QString::fromStdString(uid));
      });
    }
    return {};
  });
}

void EvaluationService::checkProps(EvalView& view, const Task& task) {
  // Of those that could not be made, only what is too large has anything to be said to it.
  const auto isTooLarge = [&](const PropPtr& prop) {
    const auto told = view.evaluation.propProblems.find(prop->uid);
    return told != view.evaluation.propProblems.end() &&
           std::any_of(told->second.begin(), told->second.end(),
                       [](const Problem& p) { return p.code == ProblemCode::UnlikelySize; });
  };
  for (const PropPtr& prop : view.props) {
    if (prop->isMissing && !isTooLarge(prop)) continue;
    auto& [checked, warnings, splits] = m_checked[prop->uid];
    if (const PropEntry* entry = view.plan->findProp(prop->uid); entry && checked != prop) {
      std::vector<Problem> ignored;
      const auto file = m_files->surface(entry->file, task, ignored);
      if (!file) continue;
      if (prop->isMissing) {
        PropEntry meant = *entry;
        meant.isLargeMeant = true;
        meant.values.clear();  // nothing that is said of it depends on them
        const auto made = makePlanProp(meant, **file);
        if (!made) continue;
        warnings = warningsOf(*entry, **file, **made);
      } else {
        warnings = warningsOf(*entry, **file, *prop);
      }
      splits = splitsOf(**file);
      checked = prop;
    }
    view.splits[prop->uid] = splits;
    view.propWarnings[prop->uid] = warnings;
  }
}

namespace {

/// Views are let go of by the interface thread, which would take long to free what they alone still hold: a worker
/// does.
std::shared_ptr<EvalView> emptyView(const EvaluationService::Request& request) {
  static tbb::task_arena droppers(1, 0);
  std::shared_ptr<EvalView> view(new EvalView,
                                 [](EvalView* dropped) { droppers.enqueue([dropped] { delete dropped; }); });
  view->plan = request.plan;
  view->request = request.number;
  view->quality = request.quality;
  view->inSite = request.inSite;
  return view;
}

/// The volume in place of what it was made of, before pale placements.
void showAlone(const Volume& volume, const VolumeLook& look, PictureInput& input) {
  for (PictureLayer& layer : input.layers) layer.isGhost = true;
  if (!look.facets || look.facets->faceCount() == 0) return;  // then what it was made of is all there is to see
  std::vector<SurfacePtr> own;
  volume.addSurfaces(own);
  const Box3 box = withRounding(volume.bounds());
  std::erase_if(input.grounds, [&](const SurfacePtr& ground) {
    const Box3 b = ground->bounds();
    return box.holds(b.min) && box.holds(b.max) && std::find(own.begin(), own.end(), ground) != own.end();
  });
  input.grounds.push_back(look.facets);
}

/// Makes what Site shows of the view's evaluation: points, colors, cover and the traced scene. False after a cancel.
bool makePicture(const EvaluationService::Request& request, EvalView& view, PictureScenePtr& lastScene,
                 const Task& task) {
  const Plan& plan = view.opened();
  view.totals = totalsOf(plan, view.evaluation);
  PictureInput input = pictureInputOf(plan, view.evaluation, request.inSite, view.bare);
  input.isMassing = request.isMassing;
  input.exploded = request.exploded;
  input.areCutsShown = request.areCutsShown;
  if (const auto volume = request.inSite.empty() ? nullptr : view.evaluation.firstOf<VolumePtr>(request.inSite)) {
    if (volume->hasDensity()) {  // shown as haze
      for (PictureLayer& layer : input.layers) layer.isGhost = true;
    } else {
      view.volume = lookOf(volume, task);
      if (!view.volume) return false;
      showAlone(*volume, *view.volume, input);
    }
  }
  if (!request.hidden.isEmpty()) {
    const std::vector<PictureLayer> all = std::exchange(input.layers, withoutHidden(input.layers, request.hidden));
    for (std::size_t l = 0; l < all.size(); ++l)
      std::replace(view.bare.begin(), view.bare.end(), all[l].points, input.layers[l].points);
  }
  for (const PictureLayer& layer : input.layers)
    if (!layer.isGhost) view.shown.push_back(layer);
  if (request.isCover) {
    std::vector<PointsPtr> counted;
    for (const PictureLayer& layer : view.shown) counted.push_back(layer.points);
    view.cover = std::make_shared<const CoverMap>(coverOf(counted, input.grounds, kCoverCells, task));
  }
  if (request.isPoints) {  // discs in place of props: only the ground is traced
    view.bare.clear();
    input.layers.clear();
  }
  input.groundMask = request.maskOnGround.empty() ? nullptr : view.evaluation.firstOf<MaskPtr>(request.maskOnGround);
  if (const MaskPtr mask = request.colorBy.empty() ? nullptr : view.evaluation.firstOf<MaskPtr>(request.colorBy))
    for (const PictureLayer& layer : view.shown) view.pointValues.push_back(maskValues(task, *mask, *layer.points));
  if (request.isPoints) colorByNumber(request.colorByNumber, view);
  if (const Node* node = plan.find(request.colorBy); node && request.colorByNumber.empty())
    view.colorTitle = node->title;
  PictureScenePtr before = std::exchange(lastScene, nullptr);  // an emptied plan lets go of it
  if (input.grounds.empty() && input.layers.empty() && input.hazes.empty()) return !task.isCancelled();
  auto scene = PictureScene::build(std::move(input), task, before);
  if (!scene) {
    lastScene = std::move(before);
    return false;
  }
  view.scene = lastScene = *scene;
  return true;
}

}  // namespace

EvalViewPtr EvaluationService::viewOf(const Request& request, const std::shared_ptr<DiskFileService>& files,
                                      PictureScenePtr& last, const Task& task) {
  auto view = emptyView(request);
  EvalRequest evaluate;
  evaluate.quality = request.quality;
  evaluate.task = task;
  view->evaluation = Evaluator(files).evaluate(*request.plan, evaluate);
  if (view->evaluation.isCancelled || !makePicture(request, *view, last, task)) return nullptr;
  return view;
}

void EvaluationService::showSoFar(const OpeningPtr& opening) {
  if (opening != m_opening || opening->isWaiting || m_growingWorker.isBusy()) return;
  // Few pictures a second: each takes from what the rest needs to be worked out.
  if (opening->lastShown.isValid() && opening->lastShown.elapsed() < kGrowMs) {
    opening->isWaiting = true;
    QTimer::singleShot(kGrowMs - static_cast<int>(opening->lastShown.elapsed()), this, [this, opening] {
      opening->isWaiting = false;
      showSoFar(opening);
    });
    return;
  }
  opening->lastShown.start();
  m_growingWorker.ask([this, opening](const Task& task) -> Worker::Answer {
    auto view = emptyView(opening->request);
    view->isGrowing = true;
    {
      const std::lock_guard lock(opening->mutex);
      if (opening->shown == opening->news) return {};
      opening->shown = opening->news;
      view->evaluation = opening->soFar;
    }
    if (!makePicture(opening->request, *view, m_growingScene, task)) return {};
    return [this, opening, view] {
      Q_EMIT grew(view);
      showSoFar(opening);
    };
  });
}

/// How far an evaluation is. The interface takes the latest when it comes to it, however often there is news.
struct EvaluationService::WorkNews {
  std::mutex mutex;
  WorkNow now;
  bool isOnItsWay = false;
};

template <typename Change>
void EvaluationService::tell(const std::shared_ptr<WorkNews>& news, Change change) {
  {
    const std::lock_guard lock(news->mutex);
    change();
    if (std::exchange(news->isOnItsWay, true)) return;
  }
  m_worker.post([this, news] {
    std::unique_lock lock(news->mutex);
    news->isOnItsWay = false;
    const WorkNow now = news->now;
    lock.unlock();
    Q_EMIT progressed(now);
  });
}

EvalViewPtr EvaluationService::compute(const Request& request, const OpeningPtr& opening, const Task& task) {
  auto view = emptyView(request);
  const auto opened = std::make_shared<const OpenedPlan>(openPlan(*request.plan, request.quality));
  const Plan& plan = opened->plan;
  EvalRequest evaluate;
  evaluate.quality = request.quality;
  const auto news = std::make_shared<WorkNews>();
  const auto titleOf = [&](const std::string& uid) { return QString::fromStdString(plan.find(uid)->title); };
  evaluate.started = [&](const std::string& uid) {
    tell(news, [&] {
      news->now.what = titleOf(uid);
      news->now.nodes[uid] = {uid, {}, 0};
    });
  };
  evaluate.atWork = [&](const AtWork& at) {
    const QString doing = said(at.doing);
    tell(news, [&] {
      if (at.uid.empty())
        news->now.props = news->now.what = at.share < 1 ? doing : QString();
      else {
        news->now.what = doing.isEmpty() ? titleOf(at.uid) : QStringLiteral("%1: %2").arg(titleOf(at.uid), doing);
        news->now.nodes[at.uid] = at;
      }
    });
  };
  evaluate.task = task;
  evaluate.task.progress = [&](float share) { tell(news, [&] { news->now.share = static_cast<double>(share); }); };
  if (opening) {
    const std::lock_guard lock(opening->mutex);
    opening->soFar.opened = opened;
    if (request.quality == Quality::Draft) opening->soFar.draftShare = static_cast<float>(plan.settings.draftShare);
  }
  evaluate.ended = [&](const std::string& uid, const NodeReport& report, const Outputs& delivered) {
    tell(news, [&] { news->now.nodes.erase(uid); });
    if (!opening) return;
    {
      const std::lock_guard lock(opening->mutex);
      opening->soFar.reports[uid] = report;
      if (report.state == NodeState::Done || report.state == NodeState::Skipped) opening->soFar.values[uid] = delivered;
      ++opening->news;
    }
    m_worker.post([this, opening] { showSoFar(opening); });
  };
  Evaluator evaluator(m_files);
  view->evaluation = evaluator.evaluate(*request.plan, evaluate);
  if (view->evaluation.isCancelled) return nullptr;
  view->cacheBytes = evaluator.cacheBytes();
  view->props = view->evaluation.props;
  checkProps(*view, task);
  view->unread = unreadFiles(plan, view->evaluation);
  for (UnreadFile& file : refusedFiles(plan, *m_files)) view->unread.push_back(std::move(file));
  if (!makePicture(request, *view, m_lastScene, task)) return nullptr;
  return view;
}

}  // namespace arvesk
