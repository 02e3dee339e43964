#include "app/schedule/standing_panel.h"

#include "app/bench/number_field.h"
#include "app/model/words.h"
#include "core/deliver/delivery.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QStackedWidget>
#include <QTableWidget>
#include <QToolButton>

namespace arvesk {
namespace {

constexpr int kMostShown = 500;  // more are told by the head; making rows is work of the window itself

QString number(std::size_t n) { return QLocale().toString(static_cast<qulonglong>(n)); }
QString meters(float m) { return QLocale().toString(static_cast<double>(m), 'f', 2); }

QToolButton* question(const QString& name, const QString& words, const QString& tip, QWidget* parent) {
  auto* button = new QToolButton(parent);
  button->setObjectName(name);
  button->setText(words);
  button->setToolTip(tip);
  button->setCheckable(true);
  button->setProperty("role", QStringLiteral("mode"));
  return button;
}

NumberField* limit(const QString& name, const QString& words, const QString& tip, const ParamSpec& spec, double value,
                   QWidget* parent) {
  auto* field = new NumberField(spec, parent);
  field->setObjectName(name);
  field->setAccessibleName(words);
  field->setToolTip(tip);
  field->showValue(value);
  field->setMaximumWidth(70);
  return field;
}

/// Words and fields side by side.
QWidget* lineOf(const std::vector<std::pair<QString, NumberField*>>& fields, QWidget* parent) {
  auto* line = new QWidget(parent);
  auto* row = new QHBoxLayout(line);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  for (const auto& [words, field] : fields) {
    auto* label = new QLabel(words, line);
    label->setProperty("role", QStringLiteral("quiet"));
    row->addWidget(label);
    row->addWidget(field);
  }
  row->addStretch(1);
  return line;
}

}  // namespace

StandingPanel::StandingPanel(std::shared_ptr<DiskFileService> files, QWidget* parent)
    : QWidget(parent),
      m_files(std::move(files)),
      m_asksStanding(question(QStringLiteral("ask_standing"), tr("Standing"),
                              tr("What floats above the ground and what is buried in it"), this)),
      m_asksMeetings(question(QStringLiteral("ask_meetings"), tr("In each other"),
                              tr("What reaches into what, by the hulls of the pieces of the props"), this)),
      m_asksFrames(question(QStringLiteral("ask_frames"), tr("Over the frames"),
                            tr("Goes through all frames: what jumps, what is missing at one frame only, what reaches "
                               "into what"),
                            this)),
      m_sort(new QComboBox(this)),
      m_limits(new QStackedWidget(this)),
      m_head(new QLabel(this)),
      m_faults(new QTableWidget(0, 3, this)) {
  auto* questions = new QButtonGroup(this);
  auto* choices = new QHBoxLayout;
  choices->setSpacing(4);
  m_asksFrames->hide();
  for (QToolButton* b : {m_asksStanding, m_asksMeetings, m_asksFrames}) {
    questions->addButton(b);
    choices->addWidget(b);
  }
  choices->addStretch(1);
  m_asksStanding->setChecked(true);
  connect(questions, &QButtonGroup::buttonToggled, this, [this](QAbstractButton*, bool isOn) {
    if (!isOn) return;
    m_limits->setCurrentIndex(asksFrames() ? 2 : asksMeetings() ? 1 : 0);
    m_faults->setRowCount(0);  // they answer the other question
    check();
  });
  m_limits->addWidget(standingLimits());
  m_limits->addWidget(meetingLimits());
  m_limits->addWidget(framesLimits());
  m_limits->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
  m_head->setObjectName(QStringLiteral("standing_head"));
  m_head->setProperty("role", QStringLiteral("section"));
  m_head->setWordWrap(true);  // it never takes room from the table
  buildTable();
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 3, 12, 0);
  column->setSpacing(3);
  column->addLayout(choices);
  column->addWidget(m_head);
  column->addWidget(m_limits);
  column->addWidget(m_faults, 1);
}

bool StandingPanel::asksMeetings() const { return m_asksMeetings->isChecked(); }
bool StandingPanel::asksFrames() const { return m_asksFrames->isChecked(); }

QWidget* StandingPanel::standingLimits() {
  ParamSpec gap;
  gap.in(Unit::Meter).hard(0, 100).usual(0, 0.5, 0.01);
  auto* hover = limit(QStringLiteral("hover_tolerance"), tr("Gap from which it floats"),
                      tr("A placement floats when no place of its foot is nearer to the ground than this"), gap,
                      static_cast<double>(m_rule.hoverOver), this);
  ParamSpec share;
  share.in(Unit::Percent).hard(1, 100).usual(50, 100, 1);
  auto* buried = limit(QStringLiteral("buried_tolerance"), tr("Share that is buried"),
                       tr("A placement is buried when more of its height than this lies below the ground"), share,
                       100 * static_cast<double>(m_rule.buriedOver), this);
  connect(hover, &NumberField::edited, this, [this, hover](double v, int) {
    m_rule.hoverOver = static_cast<float>(v);
    hover->showValue(v);
    check();
  });
  connect(buried, &NumberField::edited, this, [this, buried](double v, int) {
    m_rule.buriedOver = static_cast<float>(v / 100);
    buried->showValue(v);
    check();
  });
  return lineOf({{tr("floating above"), hover}, {tr("buried from"), buried}}, this);
}

QWidget* StandingPanel::meetingLimits() {
  ParamSpec deep;
  deep.in(Unit::Meter).hard(0, 100).usual(0, 0.5, 0.01);
  auto* deeper = limit(QStringLiteral("meeting_tolerance"), tr("Depth from which it counts"),
                       tr("Two placements count when they would have to go further than this to be out of each other"),
                       deep, static_cast<double>(m_deeperThan), this);
  connect(deeper, &NumberField::edited, this, [this, deeper](double v, int) {
    m_deeperThan = static_cast<float>(v);
    deeper->showValue(v);
    check();
  });
  return lineOf({{tr("deeper than"), deeper}}, this);
}

QWidget* StandingPanel::framesLimits() {
  m_sort->setObjectName(QStringLiteral("frames_sort"));
  m_sort->setAccessibleName(tr("What is listed of the frames"));
  m_sort->addItems({tr("Missing at one frame only"), tr("Longest steps"), tr("Deepest in each other")});
  m_sort->setCurrentIndex(1);
  connect(m_sort, &QComboBox::currentIndexChanged, this, [this] {
    if (m_overFrames) showFrames();
  });
  return m_sort;
}

void StandingPanel::buildTable() {
  m_faults->setObjectName(QStringLiteral("standing_faults"));
  m_faults->setAccessibleName(tr("What stands wrong, worst first"));
  m_faults->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_faults->horizontalHeader()->setHighlightSections(false);
  m_faults->setColumnWidth(2, 92);
  m_faults->verticalHeader()->hide();
  m_faults->verticalHeader()->setDefaultSectionSize(22);
  m_faults->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_faults->setSelectionMode(QAbstractItemView::SingleSelection);
  m_faults->setEditTriggers(QAbstractItemView::NoEditTriggers);
  m_faults->setShowGrid(false);
  m_faults->setFrameShape(QFrame::NoFrame);
  m_faults->setMinimumWidth(272);
  connect(m_faults, &QTableWidget::itemSelectionChanged, this, [this] {
    if (!m_faults->selectedItems().isEmpty()) choose(m_faults->currentRow());
  });
}

void StandingPanel::choose(int row) {
  if (row < 0) return;
  const auto at = static_cast<std::size_t>(row);
  if (asksFrames()) {
    const std::vector<FrameFinding> found = frameFindings();
    if (at >= found.size()) return;
    Q_EMIT frameWanted(found[at].frame);
    Q_EMIT placementWanted(text(found[at].node), found[at].id, found[at].place);
    return;
  }
  Meeting::Side wanted;
  if (asksMeetings()) {
    if (at >= m_meetings.worst.size()) return;
    wanted = m_meetings.worst[at].smaller;
  } else {
    if (at >= m_report.faults.size()) return;
    wanted = {m_report.faults[at].layer, m_report.faults[at].point};
  }
  const PictureLayer& layer = m_checked[wanted.layer];
  Q_EMIT placementWanted(text(layer.source), layer.points->id[wanted.point], layer.points->position[wanted.point]);
}

void StandingPanel::look(const EvalViewPtr& view, std::size_t edition) {
  m_view = view;
  m_edition = edition;
  const bool hasTime = view->plan->settings.time.has_value();
  m_asksFrames->setVisible(hasTime);
  if (!hasTime && asksFrames()) return m_asksStanding->setChecked(true);  // which checks
  check();
}

void StandingPanel::check() {
  if (!m_view) return;
  if (asksFrames()) return checkFramesOf(m_view);
  m_framesOf.reset();
  m_overFrames.reset();
  m_head->setText(tr("looking…"));
  asksMeetings() ? checkMeetingsOf(m_view) : checkStandingOf(m_view);
}

namespace {

std::vector<PointsPtr> layersOf(const EvalView& view) {
  std::vector<PointsPtr> out;
  for (const PictureLayer& layer : view.shown) out.push_back(layer.points);
  return out;
}

}  // namespace

void StandingPanel::checkStandingOf(const EvalViewPtr& view) {
  std::vector<SurfacePtr> grounds;
  if (view->scene) grounds = view->scene->input().grounds;
  // Ground that is hidden in Site carries placements all the same: a deck below its boards.
  for (const Node& node : view->opened().nodes) {
    const NodeKind* kind = kindOf(node);
    if (!kind || !kind->inputs.empty()) continue;
    const auto surface = view->evaluation.firstOf<SurfacePtr>(node.uid);
    if (surface && std::find(grounds.begin(), grounds.end(), surface) == grounds.end()) grounds.push_back(surface);
  }
  m_check.ask([this, view, grounds, rule = m_rule](const Task& task) -> Worker::Answer {
    StandingReport report = checkStanding(layersOf(*view), grounds, rule, task);
    if (task.isCancelled()) return {};
    return [this, view, report] {
      m_report = report;
      m_checked = view->shown;
      showFaults();
    };
  });
}

void StandingPanel::checkMeetingsOf(const EvalViewPtr& view) {
  m_check.ask([this, view, deeperThan = m_deeperThan](const Task& task) -> Worker::Answer {
    MeetingReport report = checkMeetings(layersOf(*view), deeperThan, task);
    if (task.isCancelled()) return {};
    return [this, view, report] {
      m_meetings = report;
      m_checked = view->shown;
      showMeetings();
    };
  });
}

/// All frames of the plan's time, at the quality that is shown. It takes long: what another frame alone is shown of is
/// not gone through again.
void StandingPanel::checkFramesOf(const EvalViewPtr& view) {
  const FramesOf wanted{m_edition, view->quality};
  if (m_framesOf == wanted && (m_overFrames || m_check.isBusy())) {
    if (m_overFrames) showFrames();
    return;
  }
  m_framesOf = wanted;
  m_overFrames.reset();
  m_faults->setRowCount(0);
  m_head->setToolTip({});
  m_head->setText(tr("looking…"));
  m_check.ask([this, view, wanted, files = m_files, deeperThan = m_deeperThan](const Task& task) -> Worker::Answer {
    auto over = std::make_shared<OverFrames>();
    const PlanTime time = *view->plan->settings.time;
    Plan plan = *view->plan;
    for (int frame = time.first; frame <= time.last; ++frame) {
      m_check.post([this, wanted, frame, last = time.last] {
        if (asksFrames() && m_framesOf == wanted) m_head->setText(tr("frame %1 of %2…").arg(frame).arg(last));
      });
      plan.frame = frame;
      EvalRequest request;
      request.quality = view->quality;
      request.task = {task.stop, {}};
      const Evaluation evaluation = Evaluator(files).evaluate(plan, request);
      if (evaluation.isCancelled || task.isCancelled()) return {};
      const auto layers = exportLayersOf(evaluation.opened->plan, evaluation, {});
      if (!layers)
        return [this, line = lineOf(layers.error()), frame] {
          m_head->setText(QStringLiteral("! ") + tr("frame %1: %2").arg(frame).arg(line));
        };
      over->add(frame, *layers, deeperThan, {task.stop, {}});
      if (task.isCancelled()) return {};
    }
    return [this, over] {
      m_overFrames = over;
      showFrames();
    };
  });
}

QString StandingPanel::propOf(std::uint32_t layer, std::uint32_t point) const {
  const Points& p = *m_checked[layer].points;
  return text(p.kit->entries[static_cast<std::size_t>(p.prop[point])].prop->name);
}

void StandingPanel::fill(int rows, const std::function<QStringList(std::size_t)>& cellsOf) {
  m_faults->clearSelection();
  m_faults->setUpdatesEnabled(false);
  m_faults->setRowCount(rows);
  for (int r = 0; r < rows; ++r) {
    const QStringList cells = cellsOf(static_cast<std::size_t>(r));
    for (int c = 0; c < 3; ++c) {
      QTableWidgetItem* item = m_faults->item(r, c);
      if (!item) {
        item = new QTableWidgetItem;
        if (c == 2) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        m_faults->setItem(r, c, item);
      }
      item->setText(cells[c]);
    }
  }
  m_faults->setUpdatesEnabled(true);
}

void StandingPanel::showFaults() {
  QString head = m_report.faults.empty()
                     ? tr("all %1 stand").arg(number(m_report.checked))
                     : tr("%1 floating, %2 buried of %3")
                           .arg(number(m_report.hovering), number(m_report.buried), number(m_report.checked));
  if (m_report.withGaps + m_report.overlapping > 0)
    head += tr(" · in courses %1 leave gaps, %2 overlap of %3")
                .arg(number(m_report.withGaps), number(m_report.overlapping), number(m_report.inCourses));
  m_head->setText(head);
  m_head->setToolTip(
      tr("%1 stand on other props, %2 fill volumes, %3 lie in courses and %4 have no ground below or above: they are "
         "not checked for it")
          .arg(number(m_report.onProps), number(m_report.inVolumes), number(m_report.inCourses),
               number(m_report.withoutGround)));
  m_faults->setHorizontalHeaderLabels({tr("Prop"), tr("Output"), tr("Gap")});
  m_faults->setColumnWidth(1, 58);
  fill(static_cast<int>(std::min<std::size_t>(m_report.faults.size(), kMostShown)), [&](std::size_t r) {
    const StandingFault& fault = m_report.faults[r];
    const Node* node = m_view->opened().find(m_checked[fault.layer].source);
    return QStringList{
        propOf(fault.layer, fault.point), node ? text(node->title) : QString(),
        fault.isBuried ? tr("%1 m deep").arg(meters(fault.badness)) : tr("%1 m above").arg(meters(fault.gap))};
  });
}

void StandingPanel::showMeetings() {
  m_head->setText(m_meetings.pairs == 0
                      ? tr("none of %1 reaches into another").arg(number(m_meetings.checked))
                      : tr("%1 of %2 reach into others, in %3 pairs")
                            .arg(number(m_meetings.placements), number(m_meetings.checked), number(m_meetings.pairs)));
  m_head->setToolTip(tr("%1 pairs of what grows on a prop with that prop belong together: they do not count")
                         .arg(number(m_meetings.grown)));
  m_faults->setHorizontalHeaderLabels({tr("Prop"), tr("In"), tr("Depth")});
  m_faults->setColumnWidth(1, 110);
  fill(static_cast<int>(std::min<std::size_t>(m_meetings.worst.size(), kMostShown)), [&](std::size_t r) {
    const Meeting& m = m_meetings.worst[r];
    return QStringList{propOf(m.smaller.layer, m.smaller.point), propOf(m.larger.layer, m.larger.point),
                       tr("%1 m").arg(meters(m.depth))};
  });
}

std::vector<FrameFinding> StandingPanel::frameFindings() const {
  if (!m_overFrames) return {};
  return m_sort->currentIndex() == 0   ? m_overFrames->flickers()
         : m_sort->currentIndex() == 1 ? m_overFrames->steps()
                                       : m_overFrames->meetings();
}

void StandingPanel::showFrames() {
  const std::vector<FrameFacts>& frames = m_overFrames->frames();
  const auto fewer = [](const FrameFacts& a, const FrameFacts& b) { return a.placements < b.placements; };
  const auto [least, most] = std::minmax_element(frames.begin(), frames.end(), fewer);
  QString head = frames.empty() ? QString()
                                : tr("%1 frames, %2 to %3 placements (most at frame %4)")
                                      .arg(number(frames.size()), number(least->placements), number(most->placements))
                                      .arg(most->frame);
  head += m_overFrames->flickerCount() == 0
              ? tr(" · nothing flickers")
              : tr(" · %1 times something is missing at one frame only").arg(number(m_overFrames->flickerCount()));
  m_head->setText(head);
  const std::vector<FrameFinding> found = frameFindings();
  m_faults->setHorizontalHeaderLabels(
      {tr("Output"), tr("Frame"), m_sort->currentIndex() == 2 ? tr("Depth") : tr("Step")});
  m_faults->setColumnWidth(1, 58);
  fill(static_cast<int>(found.size()), [&](std::size_t r) {
    return QStringList{text(found[r].output), QLocale().toString(found[r].frame),
                       m_sort->currentIndex() == 0 ? tr("missing") : tr("%1 m").arg(meters(found[r].meters))};
  });
}

}  // namespace arvesk
