// What the window does about touch-ups: tells Bench and Site how they stand, and takes commands for what is selected.
#include "app/bench/number_field.h"
#include "app/bench/touch_list.h"
#include "app/model/touch_facts.h"
#include "app/window/main_window.h"
#include "core/deliver/touching.h"

#include <QAbstractButton>
#include <QLocale>
#include <QMessageBox>
#include <QPushButton>

namespace arvesk {

void MainWindow::connectTouching() {
  m_site->setTouching(&m_model);
  connect(&m_bench->touchList(), &TouchList::placeWanted, this, [this](const Vec3& place) { m_site->lookAt(place); });
  connect(&m_bench->touchList(), &TouchList::told, this, &MainWindow::say);
  connect(m_ledger, &LedgerView::cellWritten, this, &MainWindow::touchCell);
  connect(&m_model, &PlanModel::wasReset, this, [this] {  // what waits is of another plan
    m_seeding.cancel();
    m_seedsAsked = 0;
    m_cellWriting.cancel();
    m_cells.clear();
  });
  connect(&m_seeding, &Worker::failed, this, [this] { m_seedsAsked = 0; });
  connect(&m_cellWriting, &Worker::failed, this, [this] {
    if (!m_cells.empty()) m_cells.erase(m_cells.begin());  // it is told; the others are not its fault
  });
}

/// Each press counts, also while it is looked at what one before it would do.
void MainWindow::nextSeed() {
  if (++m_seedsAsked == 1) askNextSeed();
}

void MainWindow::askNextSeed() {
  const auto next = [this](const std::map<std::string, TouchUps>& kept) {
    m_model.editDocument(tr("Next seed"), [&](Plan& p) {
      ++p.settings.seed;
      for (const auto& [uid, touches] : kept)
        if (Node* node = nodeBehind(p, uid)) node->params["touches"] = touches;
    });
    if (--m_seedsAsked > 0) askNextSeed();
  };
  const auto nodes = openPlan(m_model.document(), Quality::Final).plan.nodes;
  if (std::none_of(nodes.begin(), nodes.end(),
                   [](const Node& n) { return !n.isSkipped && !nodes::touchUpsParams(n).touches.list.empty(); }))
    return next({});
  say(tr("looking what the next seed would do to touch-ups…"));
  const EvalViewPtr shown = m_service.latest();
  m_seeding.ask(
      [this, next, plan = m_model.snapshot(), shown, files = m_service.files()](const Task& task) -> Worker::Answer {
        EvalRequest request;
        request.quality = Quality::Draft;  // touch-ups get all of their points in a draft too
        request.task = {task.stop, {}};
        for (const Node& n : openPlan(*plan, request.quality).plan.nodes)
          if (n.kind == "touch-ups") request.wanted.push_back(n.uid);
        Plan varied = *plan;
        ++varied.settings.seed;
        const bool isKnown = shown && shown->plan == plan && !shown->isGrowing;
        const Evaluation now = isKnown ? shown->evaluation : Evaluator(files).evaluate(*plan, request);
        const Evaluation then = Evaluator(files).evaluate(varied, request);
        if (now.isCancelled || then.isCancelled) return {};
        const std::size_t before = waitingTouches(now.opened->plan, now);
        const std::size_t after = waitingTouches(then.opened->plan, then);
        auto kept = keepingTouched(now.opened->plan, now);
        return [this, next, plan, before, after, kept = std::move(kept)] {
          say({});
          if (plan != m_model.snapshot()) return askNextSeed();  // it was edited meanwhile
          if (after <= before) return next({});
          QMessageBox box(QMessageBox::Question, tr("Next seed"),
                          tr("Under seed %1, %2 touch-ups would sleep, because their placements would not be there.")
                              .arg(QLocale().toString(static_cast<qulonglong>(plan->settings.seed + 1)),
                                   QLocale().toString(static_cast<qulonglong>(after - before))),
                          QMessageBox::Cancel, this);
          QAbstractButton* keep = box.addButton(tr("Keep what is touched"), QMessageBox::AcceptRole);
          QAbstractButton* go = box.addButton(tr("Next seed"), QMessageBox::DestructiveRole);
          box.setDefaultButton(QMessageBox::Cancel);
          box.exec();
          if (box.clickedButton() == keep) return next(kept);
          if (box.clickedButton() == go) return next({});
          m_seedsAsked = 0;  // of those that were pressed after it, too
        };
      });
}

/// What was written into a cell of the Ledger, as a touch-up of its placement.
void MainWindow::touchCell(const QString& uid, quint64 id, const std::string& what, const QString& written) {
  const auto number = parseQuantity(written, what == "size" ? Unit::None : Unit::Meter);
  std::string prop;
  if (what == "prop") {
    for (const PropEntry& entry : m_model.plan().props)
      if (QString::fromStdString(entry.name).compare(written.trimmed(), Qt::CaseInsensitive) == 0) prop = entry.uid;
    if (prop.empty()) return say(tr("! the Kit has no prop \"%1\"").arg(written));
  } else if (!number || (what == "size" && !(*number > 0))) {
    return say(tr("! \"%1\" is no number for %2").arg(written, QString::fromStdString(what)));
  }
  m_cells.push_back([this, uid = uid.toStdString(), id, what, prop, number](const EvalViewPtr& view) {
    m_cellWriting.ask([this, view, uid, id, what, prop, number](const Task& task) -> Worker::Answer {
      auto groups = touchable(view->opened(), view->evaluation,
                              {{uid, [id](std::uint64_t other) { return other == id; }}}, task);
      return [this, view, groups, what, prop, number]() mutable {
        if (view->plan != m_model.snapshot()) return;  // it stays the next, for when that is worked out
        m_cells.erase(m_cells.begin());
        const auto next = [&] {  // where nothing is to be worked out anew
          if (!m_cells.empty() && view->plan == m_model.snapshot()) m_cells.front()(view);
        };
        if (groups.empty()) {
          say(tr("! nothing was written: that placement is not there any more"));
          return next();
        }
        const TouchTarget target = groups.front().targets.front();
        const auto to = static_cast<float>(number.value_or(0));
        TouchDelta delta;
        if (what == "x") delta.move.x = to - target.place.x;
        if (what == "z") delta.move.z = to - target.place.z;
        if (what == "y") delta.lift = to - target.place.y;
        if (what == "size") delta.size = to / ((target.size.x + target.size.y + target.size.z) / 3);
        m_model.touch(tr("Write in the Ledger"), groups, [&](const TouchGroup& group, const TouchUps& now) {
          if (prop.empty()) return withDelta(now, group, delta, target.place);
          return withChange(now, group, [&](TouchUp& t, TouchUps& among, const TouchTarget&) {
            t.prop = prop == target.prop ? 0 : among.numberOf(prop);
          });
        });
        next();
      };
    });
  });
  touchNextCell();
}

/// What is written while the plan is being worked out waits for that, so that it counts from what is there.
void MainWindow::touchNextCell() {
  const EvalViewPtr view = m_service.latest();
  if (!m_cells.empty() && view && view->plan == m_model.snapshot() && !m_cellWriting.isBusy()) m_cells.front()(view);
}

void MainWindow::showTouches(const EvalViewPtr& view) {
  touchNextCell();
  m_standing.ask([this, view](const Task& task) -> Worker::Answer {
    const auto facts = std::make_shared<const TouchFacts>(touchFactsOf(*view, task));
    if (task.isCancelled()) return {};
    return [this, facts] {
      m_bench->showTouches(facts);
      m_site->showTicks(facts->touched, facts->removed);
    };
  });
}

}  // namespace arvesk
