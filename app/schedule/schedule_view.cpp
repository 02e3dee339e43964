#include "app/schedule/schedule_view.h"

#include "app/model/words.h"
#include "app/schedule/pinned_table.h"
#include "app/window/theme.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QTableView>

namespace arvesk {
namespace {

constexpr int kRestMs = 2500;

}  // namespace

ScheduleView::ScheduleView(PlanModel* model, EvaluationService* service, QWidget* parent)
    : QWidget(parent),
      m_plan(model),
      m_service(service),
      m_model(model),
      m_table(new PinnedTable(this)),
      m_standing(new StandingPanel(service->files(), this)),
      m_evaluator(service->files()) {
  setObjectName(QStringLiteral("schedule"));
  buildTable();
  buildLayout();
  m_rest.setSingleShot(true);
  m_rest.setInterval(kRestMs);
  connect(&m_rest, &QTimer::timeout, this, &ScheduleView::countFinal);
  connect(m_service, &EvaluationService::started, this, [this] {  // what is worked on comes first
    m_rest.stop();
    m_final.cancel();
  });
  connect(m_service, &EvaluationService::wasCancelled, this, [this] {
    if (m_view && !isCounted()) m_rest.start();  // the results before are shown still
  });
  connect(m_service, &EvaluationService::thumbnailReady, this,
          [this] { m_model.showThumbnails(m_service->thumbnails()); });
}

void ScheduleView::buildTable() {
  m_table->setObjectName(QStringLiteral("schedule_table"));
  m_table->setAccessibleName(tr("Schedule"));
  m_table->setModel(&m_model);
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setSelectionMode(QAbstractItemView::SingleSelection);
  m_table->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::SelectedClicked |
                           QAbstractItemView::EditKeyPressed);
  m_table->setShowGrid(false);
  m_table->setFrameShape(QFrame::NoFrame);
  m_table->setWordWrap(false);
  m_table->setIconSize(QSize(22, 22));
  m_table->verticalHeader()->hide();
  m_table->verticalHeader()->setDefaultSectionSize(25);
  m_table->horizontalHeader()->setHighlightSections(false);
  m_table->horizontalHeader()->setStretchLastSection(true);
  const std::array<int, ScheduleModel::ColumnCount> widths{128, 58, 64, 52, 72, 92, 82, 96, 52, 70, 66};
  QHeaderView* head = m_table->horizontalHeader();
  for (int c = 0; c < ScheduleModel::ColumnCount; ++c)
    m_table->setColumnWidth(c, std::max(widths[static_cast<std::size_t>(c)], head->sectionSizeHint(c)));
  // What a budget allows, and how much of it is used, beside what is placed: in sight.
  int at = head->visualIndex(ScheduleModel::Count) + 1;
  for (const int c :
       {ScheduleModel::MostPlaced, ScheduleModel::Use, ScheduleModel::Triangles, ScheduleModel::MostTriangles})
    head->moveSection(head->visualIndex(c), at++);
  connect(m_table, &QTableView::clicked, this, [this](const QModelIndex& index) {
    if (index.row() == 0 || index.column() == ScheduleModel::MostPlaced ||
        index.column() == ScheduleModel::MostTriangles)
      return;
    const ScheduleRow& row = m_model.schedule().rows[static_cast<std::size_t>(index.row()) - 1];
    Q_EMIT propWanted(text(row.output), text(row.key));
  });
}

void ScheduleView::buildLayout() {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  row->addWidget(m_table, 1);
  row->addWidget(m_standing, 0);
  connect(m_standing, &StandingPanel::placementWanted, this, &ScheduleView::placementWanted);
  connect(m_standing, &StandingPanel::frameWanted, m_plan, [this](double frame) { m_plan->setFrame(frame); });
}

void ScheduleView::showResults(const EvalViewPtr& view) {
  m_view = view;
  m_isStale = true;
  m_final.cancel();
  m_rest.stop();
  if (isVisible())
    refresh();
  else if (!isCounted())
    m_rest.start();
}

std::optional<ScheduleModel::FinalCount> ScheduleView::finalCount() const {
  if (m_view && m_view->quality == Quality::Final)
    return ScheduleModel::FinalCount{static_cast<double>(m_view->totals.placements),
                                     static_cast<double>(m_view->totals.triangles)};
  return isCounted() ? std::optional(m_counted.all) : std::nullopt;
}

void ScheduleView::compareWith(const EvalViewPtr& held) {
  if (!held) {
    m_holding.cancel();
    m_model.compareWith(std::nullopt);
    return;
  }
  m_holding.ask([this, held](const Task&) -> std::function<void()> {
    return [this, schedule = scheduleOf(held->opened(), held->evaluation, held->inSite)] {
      m_model.compareWith(schedule);
    };
  });
}

void ScheduleView::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  if (m_isStale) refresh();
}

void ScheduleView::refresh() {
  if (!m_view) return;
  m_isStale = false;
  m_counting.ask([this, view = m_view](const Task& task) -> std::function<void()> {
    const Schedule schedule = scheduleOf(view->opened(), view->evaluation, view->inSite);
    if (task.isCancelled()) return {};
    return [this, view, schedule] {
      m_model.show(schedule, view->quality == Quality::Final);
      m_model.showThumbnails(m_service->thumbnails());
      countFinal();
    };
  });
  m_standing->look(m_view, m_plan->edition());
}

/// Budgets are judged on what is exported: counted behind, at low priority, when there is a budget to judge.
void ScheduleView::countFinal() {
  if (m_view->quality == Quality::Final || m_view->plan->settings.budgets.empty()) return;
  if (isCounted()) return m_model.showFinal(m_counted.final);
  m_final.ask([this, plan = m_view->plan, inSite = m_view->inSite](const Task& task) -> std::function<void()> {
    EvalRequest request;
    request.quality = Quality::Final;
    request.task = {task.stop, {}};
    const Evaluation evaluation = m_evaluator.evaluate(*plan, request);
    if (evaluation.isCancelled) return {};
    const Schedule schedule = scheduleOf(evaluation.opened->plan, evaluation, inSite);
    std::map<std::string, ScheduleModel::FinalCount> counts;
    counts["all"] = {static_cast<double>(schedule.count), static_cast<double>(schedule.triangles)};
    for (const ScheduleRow& r : schedule.rows)
      counts[r.budgetKey()] = {static_cast<double>(r.count), static_cast<double>(r.triangles)};
    const PlanTotals totals = totalsOf(evaluation.opened->plan, evaluation);
    const ScheduleModel::FinalCount all{static_cast<double>(totals.placements), static_cast<double>(totals.triangles)};
    return [this, plan, inSite, counts, all] {
      m_counted = {plan, inSite, counts, all};
      m_model.showFinal(counts);
      Q_EMIT finalCounted();
    };
  });
}

}  // namespace arvesk
