#include "app/bench/touch_list.h"

#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/deliver/touching.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLocale>
#include <QTableView>
#include <QToolButton>

#include <unordered_map>

namespace arvesk {
namespace {

using nodes::TouchState;
using Fate = SharedList<TouchUp>::Fate;

bool isWaiting(const TouchRow& row) { return row.standing.isWaiting(); }

}  // namespace

void TouchModel::show(std::vector<TouchRow> rows) {
  beginResetModel();
  m_rows = std::move(rows);
  endResetModel();
}

QVariant TouchModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= static_cast<int>(m_rows.size())) return {};
  const TouchRow& row = m_rows[static_cast<std::size_t>(index.row())];
  if (role == Qt::ForegroundRole && isWaiting(row)) return Theme::current().warning;
  if (role != Qt::DisplayRole && role != Qt::ToolTipRole) return {};
  const QLocale locale;
  switch (index.column()) {
    case 0: {
      QStringList parts;
      for (const std::string& part : row.words) parts << said(part);
      const QString words = parts.join(QStringLiteral(", "));
      return row.prop.empty() ? words : QStringLiteral("%1: %2").arg(QString::fromStdString(row.prop), words);
    }
    case 1:
      return tr("%1, %2 m")
          .arg(locale.toString(static_cast<double>(row.place.x), 'f', 1),
               locale.toString(static_cast<double>(row.place.z), 'f', 1));
    default:
      switch (row.standing.state) {
        case TouchState::Applied: return tr("applied");
        case TouchState::Alone: return tr("stands alone");
        case TouchState::Asleep: return tr("asleep");
        case TouchState::Stray:
          return tr("stray by %1 m").arg(locale.toString(static_cast<double>(row.standing.strayed), 'f', 1));
      }
  }
  return {};
}

QVariant TouchModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation == Qt::Vertical || role != Qt::DisplayRole) return {};
  return section == 0 ? tr("What") : section == 1 ? tr("Where") : tr("State");
}

TouchList::TouchList(PlanModel* model, QWidget* parent)
    : QWidget(parent), m_model(model), m_table(new QTableView(this)) {
  setObjectName(QStringLiteral("touch_list"));
  m_table->setObjectName(QStringLiteral("touch_table"));
  m_table->setAccessibleName(tr("Touch-ups"));
  m_table->setModel(&m_rows);
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setSelectionMode(QAbstractItemView::ExtendedSelection);
  m_table->setShowGrid(false);
  m_table->setWordWrap(false);
  m_table->setFrameShape(QFrame::NoFrame);
  m_table->verticalHeader()->hide();
  m_table->verticalHeader()->setDefaultSectionSize(22);
  m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  m_table->setColumnWidth(1, 96);
  m_table->setColumnWidth(2, 110);
  auto* buttons = new QHBoxLayout;
  buttons->setContentsMargins(0, 0, 0, 0);
  buttons->setSpacing(2);
  const auto button = [&](const QString& words, const char* name, const QString& tip, auto&& does) {
    auto* b = new QToolButton(this);
    b->setText(words);
    b->setObjectName(QLatin1String(name));
    b->setToolTip(tip);
    connect(b, &QToolButton::clicked, this, does);
    buttons->addWidget(b);
    return b;
  };
  m_go = button(tr("Go there"), "touch_go", tr("Shows in Site where it is"), [this] {
    if (const auto rows = chosen(); !rows.empty()) Q_EMIT placeWanted(rows.front().place);
  });
  m_wake = button(tr("Wake"), "touch_wake", tr("Applies stray ones where their placements stand now"),
                  [this] { wake(); });
  m_handOn = button(tr("Hand on"), "touch_hand_on",
                    tr("Gives each to the nearest placement of the same prop that is not touched"),
                    [this] { handOn(); });
  m_forget = button(tr("Forget"), "touch_forget", tr("Takes them off the list; placements become what rules make them"),
                    [this] { forget(); });
  buttons->addStretch(1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 0, 4, 0);
  column->setSpacing(4);
  column->addWidget(m_table, 1);
  column->addLayout(buttons);
  connect(m_table->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] { refreshButtons(); });
  connect(m_table, &QTableView::clicked, this, [this](const QModelIndex& at) {
    Q_EMIT placeWanted(m_rows.rows()[static_cast<std::size_t>(at.row())].place);
  });
  refreshButtons();
}

void TouchList::showRows(const QString& uid, std::vector<TouchRow> rows, EvalViewPtr view) {
  // What was chosen stays so, by its id.
  std::set<std::uint64_t> before;
  if (uid == m_uid)
    for (const TouchRow& row : chosen()) before.insert(row.standing.touch.id);
  m_uid = uid;
  m_view = std::move(view);
  m_rows.show(std::move(rows));
  QItemSelection selection;
  for (std::size_t i = 0; i < m_rows.rows().size() && !before.empty(); ++i)
    if (before.contains(m_rows.rows()[i].standing.touch.id)) {
      const int at = static_cast<int>(i);
      selection.select(m_rows.index(at, 0), m_rows.index(at, 2));
    }
  m_table->selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
  refreshButtons();
}

std::vector<TouchRow> TouchList::chosen() const {
  std::vector<TouchRow> out;
  for (const QModelIndex& at : m_table->selectionModel()->selectedRows())
    out.push_back(m_rows.rows()[static_cast<std::size_t>(at.row())]);
  return out;
}

void TouchList::refreshButtons() {
  const std::vector<TouchRow> rows = chosen();
  const auto any = [&](auto&& fits) { return std::any_of(rows.begin(), rows.end(), fits); };
  m_go->setEnabled(!rows.empty());
  m_wake->setEnabled(any([](const TouchRow& r) { return r.standing.state == TouchState::Stray; }));
  m_handOn->setEnabled(any(&isWaiting));
  m_forget->setEnabled(!rows.empty());
}

void TouchList::edit(const QString& text, const Edit& how) {
  m_model->edit(text, [&](Plan& plan) {
    Node* node = plan.find(m_uid.toStdString());
    if (!node) return;
    TouchUps touches = nodes::touchUpsParams(*node).touches;
    touches.list.edit(how);
    node->params["touches"] = std::move(touches);
  });
}

void TouchList::wake() {
  std::unordered_map<std::uint64_t, Vec3> places;
  for (const TouchRow& row : chosen())
    if (row.standing.state == TouchState::Stray) places[row.standing.touch.id] = row.place;
  edit(tr("Wake touch-ups"), [&](TouchUp& t) {
    const auto it = places.find(t.id);
    if (it == places.end()) return Fate::Stays;
    t.at = it->second;
    return Fate::Changed;
  });
}

void TouchList::forget() {
  std::set<std::uint64_t> ids;
  for (const TouchRow& row : chosen()) ids.insert(row.standing.touch.id);
  edit(tr("Forget touch-ups"), [&](TouchUp& t) { return ids.contains(t.id) ? Fate::Goes : Fate::Stays; });
}

void TouchList::handOn() {
  std::vector<TouchUp> waiting;
  for (const TouchRow& row : chosen())
    if (isWaiting(row)) waiting.push_back(row.standing.touch);
  if (!waiting.empty()) handOn(m_uid, waiting);
}

void TouchList::handOn(const QString& uid, const std::vector<TouchUp>& waiting) {
  const Node* node = m_model->plan().find(uid.toStdString());
  if (!node || !m_view) return;
  m_finding.ask([this, waiting, uid, view = m_view, plan = m_model->snapshot(),
                 touches = nodes::touchUpsParams(*node).touches](const Task& task) -> Worker::Answer {
    const Node* then = view->plan->find(uid.toStdString());
    const PointsPtr in = then ? inputsOf(view->opened(), view->evaluation, *then).points() : nullptr;
    const Link* link = then ? firstLink(*then, "ground") : nullptr;
    HandedOn now = handedOn(touches, waiting, in ? *in : Points(), GroundUnder(view->evaluation, link ? *link : Link()),
                            task);
    if (task.isCancelled()) return {};
    return [this, now = std::move(now), waiting, plan, uid] {
      if (plan != m_model->snapshot()) return handOn(uid, waiting);  // on what it is by now
      m_model->setParam(uid, "touches", now.touches);
      const std::size_t count = waiting.size() - now.missing;
      Q_EMIT told(now.missing == 0
                      ? tr("%1 handed on").arg(count)
                      : tr("%1 handed on; for %2 there is no other of their prop").arg(count).arg(now.missing));
    };
  });
}

}  // namespace arvesk
