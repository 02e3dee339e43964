#include "app/schedule/budget_bar.h"

#include "app/model/words.h"
#include "app/window/theme.h"

#include <QCoreApplication>
#include <QLocale>
#include <QPainter>

namespace arvesk {
namespace {

constexpr int kBarWidth = 88;
constexpr int kBarHeight = 9;
constexpr int kGap = 8;

/// "213 of 300 M" or "450,620 of 500,000".
QString ofBudget(double n, double most) {
  const QLocale locale;
  if (most < 1e6)
    return QCoreApplication::translate("BudgetBar", "%1 of %2")
        .arg(locale.toString(n, 'f', 0), locale.toString(most, 'f', 0));
  const int digits = most < 1e7 ? 2 : most < 1e8 ? 1 : 0;
  return QCoreApplication::translate("BudgetBar", "%1 of %2 M")
      .arg(locale.toString(n / 1e6, 'f', digits), locale.toString(most / 1e6, 'g', 4));
}

}  // namespace

BudgetBar::BudgetBar(QWidget* parent) : QAbstractButton(parent) {
  setObjectName(QStringLiteral("budget"));
  setAccessibleName(tr("Budget"));
  setCursor(Qt::PointingHandCursor);
  setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
  hide();
}

void BudgetBar::showUse(const Budget& budget, const std::optional<ScheduleModel::FinalCount>& final) {
  setVisible(budget != Budget{});
  m_share = final ? budgetShare(budget, final->placements, final->triangles) : 0;
  if (!final) {
    setText(tr("counting final…"));
  } else {
    const bool isPlacements = budget.triangles <= 0 ||
                              (budget.placements > 0 &&
                               final->placements / budget.placements > final->triangles / budget.triangles);
    const QString words = isPlacements
                              ? tr("%1 allowed at final").arg(ofBudget(final->placements, budget.placements))
                              : tr("%1 triangles allowed at final").arg(ofBudget(final->triangles, budget.triangles));
    setText(m_share > 1 ? tr("! over: %1").arg(words) : words);
  }
  setToolTip(tr("What final quality takes of the budget for all; a click opens the Schedule"));
  setAccessibleDescription(text());
  updateGeometry();
  update();
}

QSize BudgetBar::sizeHint() const {
  const QFontMetrics metrics = fontMetrics();
  return {
      metrics.horizontalAdvance(tr("budget")) + kGap + kBarWidth + kGap + metrics.horizontalAdvance(text()) + 2 * kGap,
      metrics.height() + 4};
}

void BudgetBar::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& colors = Theme::current();
  const QColor ink = m_share > 1 ? colors.trouble : colors.ink;
  int x = kGap;
  p.setPen(colors.quiet);
  const QRect words = rect().adjusted(x, 0, 0, 0);
  p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter, tr("budget"));
  x += fontMetrics().horizontalAdvance(tr("budget")) + kGap;
  const QRect bar(x, (height() - kBarHeight) / 2, kBarWidth, kBarHeight);
  p.setPen(colors.rule);
  p.drawRect(bar.adjusted(0, 0, -1, -1));
  p.fillRect(QRect(bar.topLeft(), QSize(static_cast<int>(kBarWidth * std::min(1.0, m_share)), kBarHeight)), ink);
  p.setPen(m_share > 1 ? colors.trouble : colors.quiet);
  p.drawText(rect().adjusted(x + kBarWidth + kGap, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, text());
}

}  // namespace arvesk
