#include "app/schedule/schedule_model.h"

#include "app/bench/number_field.h"
#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "app/window/share_text.h"
#include "app/window/theme.h"

#include <QLocale>
#include <QPixmap>

namespace arvesk {
namespace {

QString millions(double n) {
  const QLocale locale;
  if (n >= 1e6) return locale.toString(n / 1e6, 'f', n < 1e7 ? 2 : 1) + QStringLiteral(" M");
  return locale.toString(n, 'f', 0);
}

/// "20000", "20,000", "1.5 M" or "20 k"; nothing for what is none of these; 0 takes the budget away.
std::optional<double> parseCount(QString typed) {
  typed = typed.trimmed();
  if (typed.isEmpty()) return 0;
  double factor = 1;
  if (typed.endsWith(QLatin1Char('M'))) factor = 1e6;
  if (typed.endsWith(QLatin1Char('k'), Qt::CaseInsensitive)) factor = 1e3;
  if (factor != 1) typed.chop(1);
  typed.remove(QLatin1Char(',')).remove(QLatin1Char(' '));
  const auto value = parseQuantity(typed, Unit::None);
  if (!value || *value < 0) return std::nullopt;
  return std::round(*value * factor);
}

}  // namespace

ScheduleModel::ScheduleModel(PlanModel* plan, QObject* parent) : QAbstractTableModel(parent), m_plan(plan) {}

void ScheduleModel::show(Schedule schedule, bool isFinal) {
  beginResetModel();
  m_schedule = std::move(schedule);
  m_isFinal = isFinal;
  m_final.clear();
  endResetModel();
}

void ScheduleModel::showThumbnails(std::map<std::string, QImage> thumbnails) {
  m_thumbnails = std::move(thumbnails);
  Q_EMIT dataChanged(index(0, Name), index(rowCount() - 1, Name));
}

void ScheduleModel::showFinal(std::map<std::string, FinalCount> final) {
  m_final = std::move(final);
  Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, ColumnCount - 1));
}

void ScheduleModel::compareWith(std::optional<Schedule> held) {
  m_held = std::move(held);
  Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, ColumnCount - 1));
}

std::string ScheduleModel::keyOf(int row) const { return row == 0 ? "all" : rowAt(row)->budgetKey(); }

Budget ScheduleModel::budgetOf(int row) const {
  const auto& budgets = m_plan->plan().settings.budgets;
  const auto it = budgets.find(keyOf(row));
  return it == budgets.end() ? Budget{} : it->second;
}

ScheduleModel::FinalCount ScheduleModel::finalOf(int row) const {
  const ScheduleRow* r = rowAt(row);
  const double count = static_cast<double>(r ? r->count : m_schedule.count);
  const double triangles = static_cast<double>(r ? r->triangles : m_schedule.triangles);
  if (m_isFinal) return {count, triangles};
  const auto it = m_final.find(keyOf(row));
  return it != m_final.end() ? it->second
                             : FinalCount{};  // what draft does not show at all is not told apart from nothing
}

double ScheduleModel::use(int row) const {
  if (!isFinalKnown()) return 0;
  const FinalCount final = finalOf(row);
  return budgetShare(budgetOf(row), final.placements, final.triangles);
}

QString ScheduleModel::shown(int row, int column) const {
  const QLocale locale;
  const ScheduleRow* r = rowAt(row);
  const auto held = [&](auto pick) -> QString {
    if (!m_held) return {};
    std::optional<double> before;
    if (!r)
      before = pick(m_held->count, m_held->triangles);
    else
      for (const ScheduleRow& h : m_held->rows)
        if (h.budgetKey() == r->budgetKey()) before = pick(h.count, h.triangles);
    return QStringLiteral("%1 → ").arg(before ? millions(*before) : QStringLiteral("0"));
  };
  switch (column) {
    case Name: return !r ? tr("All") : r->pieces == 0 ? text(r->name) : tr("%1, in pieces").arg(text(r->name));
    case Output: return r ? text(r->title) : QString();
    case Count:
      return held([](std::size_t c, std::uint64_t) { return static_cast<double>(c); }) +
             locale.toString(static_cast<qulonglong>(r ? r->count : m_schedule.count));
    case Share: return r ? shareText(r->share) : QString();
    case Each: return r && r->count > 0 ? locale.toString(static_cast<qulonglong>(r->triangles / r->count)) : QString();
    case Triangles:
      return held([](std::size_t, std::uint64_t t) { return static_cast<double>(t); }) +
             millions(static_cast<double>(r ? r->triangles : m_schedule.triangles));
    case Memory:
      return locale.formattedDataSize(static_cast<qint64>(r ? r->bytes : m_schedule.bytes), 1,
                                      QLocale::DataSizeSIFormat);
    case Size: return r ? QStringLiteral("× %1").arg(locale.toString(r->meanSize, 'f', 2)) : QString();
    case MostPlaced: return budgetOf(row).placements > 0 ? millions(budgetOf(row).placements) : tr("set…");
    case MostTriangles: return budgetOf(row).triangles > 0 ? millions(budgetOf(row).triangles) : tr("set…");
    case Use: {
      const Budget budget = budgetOf(row);
      if (!isFinalKnown()) return budget.placements > 0 || budget.triangles > 0 ? tr("counting…") : QString();
      const double u = use(row);
      if (u <= 0) return {};
      return (u > 1 ? QStringLiteral("! ") : QString()) + shareText(u);
    }
    default: return {};
  }
}

QVariant ScheduleModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid()) return {};
  const int row = index.row();
  const ScheduleRow* r = rowAt(row);
  const QLocale locale;
  switch (role) {
    case Qt::DisplayRole: return shown(row, index.column());
    case Qt::EditRole: {
      const Budget b = budgetOf(row);
      const double value = index.column() == MostPlaced ? b.placements : b.triangles;
      return value > 0 ? QString::number(value, 'f', 0) : QString();
    }
    case Qt::TextAlignmentRole:
      return static_cast<int>((index.column() <= Output ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
    case Qt::ForegroundRole:
      if (index.column() == Use && use(row) > 1) return Theme::current().trouble;
      if ((index.column() == MostPlaced && budgetOf(row).placements <= 0) ||
          (index.column() == MostTriangles && budgetOf(row).triangles <= 0))
        return Theme::current().quiet;
      return {};
    case Qt::BackgroundRole:  // what can be written into looks so
      return index.column() == MostPlaced || index.column() == MostTriangles ? QVariant(QBrush(Theme::current().field))
                                                                             : QVariant();
    case Qt::FontRole: {
      QFont f;
      f.setWeight(row == 0 ? QFont::DemiBold : QFont::Normal);
      return f;
    }
    case Qt::DecorationRole:
      if (index.column() == Name && r)
        if (const auto it = m_thumbnails.find(r->prop->uid); it != m_thumbnails.end()) {
          QPixmap p = QPixmap::fromImage(it->second.scaled(44, 44, Qt::KeepAspectRatio, Qt::SmoothTransformation));
          p.setDevicePixelRatio(2);
          return p;
        }
      return {};
    case Qt::ToolTipRole:
      if (index.column() <= Count && r && r->pieces > 0)
        return tr("%1 of it, broken into %2 different pieces")
            .arg(locale.toString(static_cast<qulonglong>(r->owners)),
                 locale.toString(static_cast<qulonglong>(r->pieces)));
      if (index.column() == Size && r)
        return tr("From × %1 to × %2")
            .arg(static_cast<double>(r->smallest), 0, 'f', 2)
            .arg(static_cast<double>(r->largest), 0, 'f', 2);
      if (index.column() == Use && use(row) > 0) {
        const FinalCount final = finalOf(row);
        return isFinalKnown() ? tr("%1 placements and %2 triangles at final quality")
                                    .arg(millions(final.placements), millions(final.triangles))
                              : tr("Final quality is being counted");
      }
      if (index.column() == MostPlaced || index.column() == MostTriangles)
        return tr(
            "Double-click to set a budget, such as 20000, 20 k or 1.5 M; empty takes it away. It is judged on final "
            "quality.");
      return {};
    default: return {};
  }
}

QVariant ScheduleModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation == Qt::Vertical) return {};
  if (role == Qt::TextAlignmentRole)
    return static_cast<int>((section <= Output ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
  if (role != Qt::DisplayRole) return {};
  switch (section) {
    case Name: return tr("Prop");
    case Output: return tr("Output");
    case Count: return tr("Placed");
    case Share: return tr("Share");
    case Each: return tr("Each");
    case Triangles: return tr("Triangles");
    case Memory: return tr("Memory");
    case Size: return tr("Mean size");
    case MostPlaced: return tr("Most placed");
    case MostTriangles: return tr("Most triangles");
    case Use: return tr("Budget used");
    default: return {};
  }
}

Qt::ItemFlags ScheduleModel::flags(const QModelIndex& index) const {
  const Qt::ItemFlags usual = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
  return index.column() == MostPlaced || index.column() == MostTriangles ? usual | Qt::ItemIsEditable : usual;
}

bool ScheduleModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role != Qt::EditRole) return false;
  const auto count = parseCount(value.toString());
  if (!count) return false;
  Budget budget = budgetOf(index.row());
  (index.column() == MostPlaced ? budget.placements : budget.triangles) = *count;
  m_plan->edit(tr("Budget"), [&, key = keyOf(index.row())](Plan& plan) {
    if (budget == Budget{})
      plan.settings.budgets.erase(key);
    else
      plan.settings.budgets[key] = budget;
  });
  Q_EMIT dataChanged(this->index(index.row(), 0), this->index(index.row(), ColumnCount - 1));
  return true;
}

}  // namespace arvesk
