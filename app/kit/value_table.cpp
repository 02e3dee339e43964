#include "app/kit/value_table.h"

#include "app/bench/choice_box.h"
#include "app/bench/number_field.h"
#include "app/model/words.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include <set>

namespace arvesk {
namespace {

enum Cell { kName, kInto, kBy, kSetting, kZeroAt, kOneAt, kColumns };

Unit unitOf(ValueBy by) {
  switch (by) {
    case ValueBy::Facing: return Unit::Degree;
    case ValueBy::HeightShare:
    case ValueBy::Hollows:
    case ValueBy::Openness: return Unit::None;
    default: return Unit::Meter;
  }
}

template <typename Names>
QStringList idsOf(const Names& names) {
  QStringList out;
  for (const char* name : names) out.push_back(QLatin1String(name));
  return out;
}

QString settingText(const ValueEntry& v) {
  switch (v.by) {
    case ValueBy::Facing:
      return QStringLiteral("%1 %2 %3")
          .arg(static_cast<double>(v.direction.x))
          .arg(static_cast<double>(v.direction.y))
          .arg(static_cast<double>(v.direction.z));
    case ValueBy::Hollows:
    case ValueBy::Openness: return formatQuantity(v.reach, Unit::Meter);
    case ValueBy::EdgeDistance: return formatQuantity(v.edgeDeg, Unit::Degree);
    default: return {};
  }
}

/// What values are called that nobody named, by what they are measured by.
constexpr std::array kNames{"height", "height", "facing", "hollows", "openness", "edge", "from_pivot"};
/// Does it still have the name that it began with? It takes another one with another measure.
bool isNamedBy(const ValueEntry& v) {
  const std::string begun = kNames[static_cast<std::size_t>(v.by)];
  const std::string rest = v.name.starts_with(begun) ? v.name.substr(begun.size()) : "x";
  return rest.empty() || (rest.starts_with('_') && rest.find_first_not_of("0123456789", 1) == std::string::npos);
}

}  // namespace

ValueTable::ValueTable(QWidget* parent)
    : QWidget(parent),
      m_table(new QTableWidget(0, kColumns, this)),
      m_remove(new QPushButton(tr("Remove value"), this)),
      m_keep(new QPushButton(tr("Keep as a file…"), this)) {
  m_table->setObjectName(QStringLiteral("value_table"));
  m_table->setAccessibleName(tr("Values of the vertices"));
  m_table->setHorizontalHeaderLabels(
      {tr("Value"), tr("goes into"), tr("measured by"), tr("setting"), tr("0 at"), tr("1 at")});
  m_table->horizontalHeaderItem(kInto)->setToolTip(
      tr("Exports carry a value under its name. The vertex color is what the prop is drawn with too."));
  m_table->horizontalHeaderItem(kSetting)->setToolTip(
      tr("Facing: the direction it is measured from. Hollows: their radius. Openness: how far it looks. Edges: where "
         "faces meet at more than this, and the open ones."));
  m_table->horizontalHeader()->setSectionResizeMode(kName, QHeaderView::Stretch);
  for (const auto& [column, width] : {std::pair(kInto, 110), std::pair(kBy, 170), std::pair(kSetting, 76),
                                      std::pair(kZeroAt, 76), std::pair(kOneAt, 76)})
    m_table->setColumnWidth(column, width);
  m_table->verticalHeader()->hide();
  m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
  m_table->setSelectionMode(QAbstractItemView::SingleSelection);
  m_table->setShowGrid(false);
  auto* addOne = new QPushButton(tr("Add value"), this);
  addOne->setObjectName(QStringLiteral("value_add"));
  m_remove->setObjectName(QStringLiteral("value_remove"));
  m_keep->setObjectName(QStringLiteral("value_keep"));
  m_keep->setToolTip(tr("Writes the prop with its values as glTF; the prop is made from that file afterwards"));
  auto* foot = new QHBoxLayout;
  foot->addWidget(m_keep);
  foot->addStretch(1);
  foot->addWidget(addOne);
  foot->addWidget(m_remove);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(m_table, 1);
  column->addLayout(foot);
  connect(addOne, &QPushButton::clicked, this, &ValueTable::add);
  connect(m_remove, &QPushButton::clicked, this, [this] {
    const int row = m_table->currentRow();
    if (row < 0) return;
    std::vector<ValueEntry> left = m_values;
    left.erase(left.begin() + row);
    Q_EMIT edited(tr("Remove value"), left);
  });
  connect(m_keep, &QPushButton::clicked, this, &ValueTable::keepWanted);
  connect(m_table, &QTableWidget::currentCellChanged, this, [this](int row) {
    m_remove->setEnabled(row >= 0);
    if (!m_isFilling && row >= 0) Q_EMIT chosen(m_values[static_cast<std::size_t>(row)]);
  });
  connect(m_table, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
    if (!m_isFilling) typed(item->row(), item->column(), item->text());
  });
  fill({}, Vec3(1));
}

void ValueTable::fill(const std::vector<ValueEntry>& values, const Vec3& extent) {
  m_extent = extent;
  m_keep->setEnabled(!values.empty());
  if (values == m_values && m_table->rowCount() == static_cast<int>(values.size())) {
    m_remove->setEnabled(m_table->currentRow() >= 0);
    return;
  }
  m_isFilling = true;
  const int current = m_table->currentRow();
  m_values = values;
  const int rows = static_cast<int>(values.size());
  m_table->setRowCount(rows);
  for (int row = 0; row < rows; ++row) makeRow(row);
  if (rows > 0) m_table->setCurrentCell(m_isAdded ? rows - 1 : std::clamp(current, 0, rows - 1), kName);
  m_isAdded = m_isFilling = false;
  m_remove->setEnabled(m_table->currentRow() >= 0);
}

void ValueTable::makeRow(int row) {
  const ValueEntry& v = m_values[static_cast<std::size_t>(row)];
  const bool isNamed = v.into == ValueInto::Named;
  const auto put = [&](Cell column, const QString& words, bool isEdited) {
    auto* item = new QTableWidgetItem(words);
    if (column != kName) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    if (!isEdited) item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    m_table->setItem(row, column, item);
  };
  put(kName, isNamed ? text(v.name) : tr("vertex color"), isNamed);
  const QString setting = settingText(v);
  put(kSetting, setting, !setting.isEmpty());
  put(kZeroAt, formatQuantity(v.zeroAt, unitOf(v.by)), true);
  put(kOneAt, formatQuantity(v.oneAt, unitOf(v.by)), true);
  const auto choose = [&](Cell column, const QString& name, const QString& spoken, const QStringList& ids,
                          const QStringList& words, int now, auto&& how) {
    auto* box = new ChoiceBox(ids, words, m_table);
    box->setObjectName(name + QString::number(row));
    box->setAccessibleName(spoken);
    box->setCurrentIndex(now);
    connect(box, &ChoiceBox::activated, this, [this, row, how](int index) {
      m_table->setCurrentCell(row, kName);
      how(index);
    });
    m_table->setCellWidget(row, column, box);
  };
  choose(kInto, QStringLiteral("value_into_"), tr("goes into"), idsOf(kValueIntos),
         {tr("a value"), tr("red"), tr("green"), tr("blue"), tr("alpha"), tr("the color")}, static_cast<int>(v.into),
         [this, row](int index) {
           change(row, [&](ValueEntry& value) {
             value.into = static_cast<ValueInto>(index);
             if (value.into == ValueInto::Named && value.name.empty()) value.name = begun(value.by, row).name;
           });
         });
  choose(kBy, QStringLiteral("value_by_"), tr("measured by"), idsOf(kValueBys),
         {tr("height"), tr("share of the height"), tr("facing"), tr("hollows"), tr("openness"),
          tr("distance to an edge"), tr("distance to the pivot")},
         static_cast<int>(v.by), [this, row](int index) {
           change(row, [&](ValueEntry& value) {
             ValueEntry other = begun(static_cast<ValueBy>(index), row);
             other.into = value.into;
             if (!isNamedBy(value)) other.name = value.name;
             value = std::move(other);
           });
         });
}

ValueEntry ValueTable::begun(ValueBy by, int row) const {
  const auto largest = static_cast<double>(std::max({m_extent.x, m_extent.y, m_extent.z}));
  const auto rounded = [](double v) { return QString::number(v, 'g', 2).toDouble(); };
  ValueEntry v;
  v.by = by;
  v.name = kNames[static_cast<std::size_t>(by)];
  switch (by) {
    case ValueBy::Height: v.oneAt = rounded(static_cast<double>(m_extent.y)); break;
    case ValueBy::HeightShare: break;
    case ValueBy::Facing: v.zeroAt = 90, v.oneAt = 0; break;
    case ValueBy::Hollows: v.oneAt = 0.3, v.reach = rounded(0.1 * largest); break;
    case ValueBy::Openness: v.reach = rounded(0.5 * largest); break;
    case ValueBy::EdgeDistance: v.zeroAt = rounded(0.1 * largest), v.oneAt = 0; break;
    case ValueBy::PivotDistance: v.oneAt = rounded(0.5 * largest); break;
  }
  if (v.oneAt == v.zeroAt) v.oneAt = v.zeroAt + 1;
  if (!(v.reach > 0)) v.reach = 0.1;
  std::set<std::string> taken;
  for (std::size_t k = 0; k < m_values.size(); ++k)
    if (static_cast<int>(k) != row) taken.insert(m_values[k].name);
  const std::string wanted = v.name;
  for (int n = 2; taken.contains(v.name); ++n) v.name = wanted + "_" + std::to_string(n);
  return v;
}

void ValueTable::add() {
  std::vector<ValueEntry> more = m_values;
  more.push_back(begun(ValueBy::HeightShare, -1));
  m_isAdded = true;
  Q_EMIT edited(tr("Add value"), more);
  Q_EMIT chosen(more.back());
}

void ValueTable::change(int row, const std::function<void(ValueEntry&)>& how) {
  std::vector<ValueEntry> now = m_values;
  how(now[static_cast<std::size_t>(row)]);
  if (now == m_values) return;
  Q_EMIT edited(tr("Value of the vertices"), now);
  Q_EMIT chosen(now[static_cast<std::size_t>(row)]);
}

/// What cannot be is not taken: the cell shows again what holds.
void ValueTable::typed(int row, int column, const QString& words) {
  change(row, [&](ValueEntry& v) {
    if (column == kName) {
      if (!words.trimmed().isEmpty()) v.name = words.trimmed().toStdString();
      return;
    }
    if (column == kSetting && v.by == ValueBy::Facing) {
      const QStringList three = words.split(QLatin1Char(' '), Qt::SkipEmptyParts);
      std::array<std::optional<double>, 3> d;
      for (int k = 0; k < 3 && three.size() == 3; ++k)
        d[static_cast<std::size_t>(k)] = parseQuantity(three[k], Unit::None);
      if (d[0] && d[1] && d[2]) v.direction = Vec3(*d[0], *d[1], *d[2]);
      return;
    }
    const bool isAngle = column == kSetting && v.by == ValueBy::EdgeDistance;
    const auto number = parseQuantity(words, isAngle ? Unit::Degree : column == kSetting ? Unit::Meter : unitOf(v.by));
    if (!number || std::abs(*number) > 1e6) return;
    if (column == kZeroAt)
      v.zeroAt = *number;
    else if (column == kOneAt)
      v.oneAt = *number;
    else if (isAngle)
      v.edgeDeg = std::clamp(*number, 0.0, 180.0);
    else if (*number > 0 && *number <= 1e4)
      v.reach = *number;
  });
  m_isFilling = true;
  if (row < m_table->rowCount()) makeRow(row);
  m_isFilling = false;
}

}  // namespace arvesk
