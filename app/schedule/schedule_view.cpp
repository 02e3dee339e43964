#include "app/schedule/schedule_view.h"

#include "app/bench/number_field.h"
#include "app/model/words.h"
#include "app/schedule/pinned_table.h"
#include "app/window/theme.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QTableView>
#include <QTableWidget>

namespace arvesk {
namespace {

constexpr int kMostFaultsShown = 1000;
constexpr int kRestMs = 2500;

}  // namespace

ScheduleView::ScheduleView(PlanModel* model, EvaluationService* service, QWidget* parent)
    : QWidget(parent),
      m_plan(model),
      m_service(service),
      m_model(model),
      m_table(new PinnedTable(this)),
      m_checkHead(new QLabel(this)),
      m_faults(new QTableWidget(0, 3, this)),
      m_evaluator(service->files()) {
  setObjectName(QStringLiteral("schedule"));
  buildTable();
  buildCheck();
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
    Q_EMIT propWanted(text(row.output), text(row.prop->uid));
  });
}

/// What hovers and what is buried, with the gaps that say so.
void ScheduleView::buildCheck() {
  ParamSpec meters;
  meters.in(Unit::Meter).hard(0, 100).usual(0, 0.5, 0.01);
  m_hover = new NumberField(meters, this);
  m_hover->setObjectName(QStringLiteral("hover_tolerance"));
  m_hover->setAccessibleName(tr("Gap from which it floats"));
  m_hover->setToolTip(tr("A placement floats when no place of its foot is nearer to the ground than this"));
  m_hover->showValue(static_cast<double>(m_rule.hoverOver));
  ParamSpec share;
  share.in(Unit::Percent).hard(1, 100).usual(50, 100, 1);
  m_buried = new NumberField(share, this);
  m_buried->setObjectName(QStringLiteral("buried_tolerance"));
  m_buried->setAccessibleName(tr("Share that is buried"));
  m_buried->setToolTip(tr("A placement is buried when more of its height than this lies below the ground"));
  m_buried->showValue(100 * static_cast<double>(m_rule.buriedOver));
  for (NumberField* f : {m_hover, m_buried}) f->setMaximumWidth(70);
  connect(m_hover, &NumberField::edited, this, [this](double v, int) {
    m_rule.hoverOver = static_cast<float>(v);
    m_hover->showValue(v);
    check();
  });
  connect(m_buried, &NumberField::edited, this, [this](double v, int) {
    m_rule.buriedOver = static_cast<float>(v / 100);
    m_buried->showValue(v);
    check();
  });
  m_checkHead->setObjectName(QStringLiteral("standing_head"));
  m_checkHead->setProperty("role", QStringLiteral("section"));
  m_faults->setObjectName(QStringLiteral("standing_faults"));
  m_faults->setAccessibleName(tr("What floats and what is buried, worst first"));
  m_faults->setHorizontalHeaderLabels({tr("Prop"), tr("Output"), tr("Gap")});
  m_faults->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_faults->horizontalHeader()->setHighlightSections(false);
  m_faults->setColumnWidth(1, 58);
  m_faults->setColumnWidth(2, 92);
  m_faults->verticalHeader()->hide();
  m_faults->verticalHeader()->setDefaultSectionSize(22);
  m_faults->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_faults->setSelectionMode(QAbstractItemView::SingleSelection);
  m_faults->setEditTriggers(QAbstractItemView::NoEditTriggers);
  m_faults->setShowGrid(false);
  m_faults->setFrameShape(QFrame::NoFrame);
  connect(m_faults, &QTableWidget::itemSelectionChanged, this, [this] {
    const int row = m_faults->currentRow();
    if (row < 0 || static_cast<std::size_t>(row) >= m_report.faults.size() || m_faults->selectedItems().isEmpty())
      return;
    const StandingFault& fault = m_report.faults[static_cast<std::size_t>(row)];
    const PictureLayer& layer = m_checked[fault.layer];
    Q_EMIT placementWanted(text(layer.source), layer.points->id[fault.point], layer.points->position[fault.point]);
  });
}

void ScheduleView::buildLayout() {
  auto* limits = new QHBoxLayout;
  limits->setSpacing(6);
  const auto quiet = [&](const QString& words) {
    auto* label = new QLabel(words, this);
    label->setProperty("role", QStringLiteral("quiet"));
    return label;
  };
  limits->addWidget(quiet(tr("floating above")));
  limits->addWidget(m_hover);
  limits->addWidget(quiet(tr("buried from")));
  limits->addWidget(m_buried);
  limits->addStretch(1);
  auto* side = new QVBoxLayout;
  side->setContentsMargins(12, 6, 12, 0);
  side->setSpacing(4);
  side->addWidget(m_checkHead);
  side->addLayout(limits);
  side->addWidget(m_faults, 1);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  row->addWidget(m_table, 1);
  row->addLayout(side, 0);
  m_faults->setMinimumWidth(272);
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
    return
        [this, schedule = scheduleOf(*held->plan, held->evaluation, held->inSite)] { m_model.compareWith(schedule); };
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
    const Schedule schedule = scheduleOf(*view->plan, view->evaluation, view->inSite);
    if (task.isCancelled()) return {};
    return [this, view, schedule] {
      m_model.show(schedule, view->quality == Quality::Final);
      m_model.showThumbnails(m_service->thumbnails());
      countFinal();
    };
  });
  check();
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
    const Schedule schedule = scheduleOf(*plan, evaluation, inSite);
    std::map<std::string, ScheduleModel::FinalCount> counts;
    counts["all"] = {static_cast<double>(schedule.count), static_cast<double>(schedule.triangles)};
    for (const ScheduleRow& r : schedule.rows)
      counts[r.budgetKey()] = {static_cast<double>(r.count), static_cast<double>(r.triangles)};
    const PlanTotals totals = totalsOf(*plan, evaluation);
    const ScheduleModel::FinalCount all{static_cast<double>(totals.placements), static_cast<double>(totals.triangles)};
    return [this, plan, inSite, counts, all] {
      m_counted = {plan, inSite, counts, all};
      m_model.showFinal(counts);
      Q_EMIT finalCounted();
    };
  });
}

void ScheduleView::check() {
  if (!m_view) return;
  std::vector<PointsPtr> layers;
  for (const PictureLayer& layer : m_view->shown) layers.push_back(layer.points);
  std::vector<SurfacePtr> grounds;
  if (m_view->scene) grounds = m_view->scene->input().grounds;
  // Ground that is hidden in Site carries placements all the same: a deck below its boards.
  for (const Node& node : m_view->plan->nodes) {
    const NodeKind* kind = kindOf(node);
    if (!kind || !kind->inputs.empty()) continue;
    const auto surface = m_view->evaluation.firstOf<SurfacePtr>(node.uid);
    if (surface && std::find(grounds.begin(), grounds.end(), surface) == grounds.end()) grounds.push_back(surface);
  }
  m_checkHead->setText(tr("Standing · looking…"));
  m_check.ask([this, layers, grounds, rule = m_rule, shown = m_view->shown](const Task& task) -> std::function<void()> {
    StandingReport report = checkStanding(layers, grounds, rule, task);
    if (task.isCancelled()) return {};
    return [this, report, shown] {
      m_report = report;
      m_checked = shown;
      showFaults();
    };
  });
}

void ScheduleView::showFaults() {
  const QLocale locale;
  const auto number = [&](std::size_t n) { return locale.toString(static_cast<qulonglong>(n)); };
  m_checkHead->setText(m_report.faults.empty()
                           ? tr("Standing · all %1 stand").arg(number(m_report.checked))
                           : tr("Standing · %1 floating, %2 buried of %3")
                                 .arg(number(m_report.hovering), number(m_report.buried), number(m_report.checked)));
  m_checkHead->setToolTip(
      tr("%1 stand on other props, %2 fill volumes and %3 have no ground below or above: they are not checked")
          .arg(number(m_report.onProps), number(m_report.inVolumes), number(m_report.withoutGround)));
  const int rows = static_cast<int>(std::min<std::size_t>(m_report.faults.size(), kMostFaultsShown));
  m_faults->clearSelection();
  m_faults->setRowCount(rows);
  for (int r = 0; r < rows; ++r) {
    const StandingFault& fault = m_report.faults[static_cast<std::size_t>(r)];
    const PictureLayer& layer = m_checked[fault.layer];
    const Points& p = *layer.points;
    const Node* node = m_view->plan->find(layer.source);
    const QStringList cells{text(p.kit->entries[static_cast<std::size_t>(p.prop[fault.point])].prop->name),
                            node ? text(node->title) : QString(),
                            fault.isBuried
                                ? tr("%1 m deep").arg(locale.toString(static_cast<double>(fault.badness), 'f', 2))
                                : tr("%1 m above").arg(locale.toString(static_cast<double>(fault.gap), 'f', 2))};
    for (int c = 0; c < 3; ++c) {
      auto* item = new QTableWidgetItem(cells[c]);
      if (c == 2) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
      m_faults->setItem(r, c, item);
    }
  }
}

}  // namespace arvesk
