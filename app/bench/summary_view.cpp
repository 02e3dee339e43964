#include "app/bench/summary_view.h"

#include "app/model/words.h"
#include "app/window/share_text.h"
#include "app/window/theme.h"
#include "core/deliver/delivery.h"

#include <QEvent>
#include <QLocale>
#include <QPainter>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kLine = 19;    // px
constexpr int kAbove = 8;    // a heading, where another part is above it
constexpr int kGap = 24;     // between columns
constexpr int kIndent = 14;  // of words below a name

constexpr int kWrapped = int(Qt::AlignLeft) | int(Qt::AlignTop) | int(Qt::TextWordWrap);

}  // namespace

SummaryView::SummaryView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("summary"));
  setAccessibleName(tr("Outputs"));
  QSizePolicy policy(QSizePolicy::Preferred, QSizePolicy::Preferred);
  policy.setHeightForWidth(true);
  setSizePolicy(policy);
}

std::vector<SummaryView::Row> SummaryView::rowsOf(const EvalView& view) {
  const QLocale locale;
  std::vector<Row> out;
  std::vector<Row> loose;
  const auto counted = [&](std::uint64_t count) { return locale.toString(static_cast<qulonglong>(count)); };
  for (const Node& node : view.opened().nodes) {
    const auto report = view.evaluation.reports.find(node.uid);
    const NodeKind* kind = kindOf(node);
    if (!kind || !kind->isLayer || report == view.evaluation.reports.end()) continue;
    Row row{text(node.title)};
    if (report->second.passed.empty()) {  // it fails, or waits for what does
      const std::vector<Problem>& problems = report->second.problems;
      if (!problems.empty()) row.words = said(problems.front().message);
    } else if (!report->second.said.empty()) {
      row.count = said(report->second.said);
      row.isSaid = true;
    } else {
      const auto count = report->second.passed.front();
      const auto all = static_cast<double>(view.totals.placements);
      row.count = counted(count);
      row.share = shareText(all > 0 ? static_cast<double>(count) / all : 0);
    }
    out.push_back(std::move(row));
  }
  for (const Node* node : openEndsOf(view.opened()))
    if (const PointsPtr points = view.evaluation.firstOf<PointsPtr>(node->uid))
      loose.push_back({text(node->title), counted(points->count)});
  const auto heading = [](const QString& name) { return Row{name, {}, {}, {}, true}; };
  if (!out.empty())
    out.insert(out.begin(), heading(view.quality == Quality::Draft ? tr("Outputs, draft") : tr("Outputs, final")));
  if (!loose.empty()) {
    out.push_back(heading(tr("No Output yet: these points are not exported")));
    out.insert(out.end(), loose.begin(), loose.end());
  }
  if (out.empty()) out.push_back({{}, {}, {}, tr("No outputs yet: an Output node makes a layer that is exported.")});
  return out;
}

void SummaryView::show(const EvalViewPtr& view) {
  std::vector<Row> rows = view ? rowsOf(*view) : std::vector<Row>();
  if (rows == m_rows) return;
  m_rows = std::move(rows);
  measure();
  QStringList lines;
  for (const Row& row : m_rows) {
    QStringList parts{row.name, row.count, row.share, row.words};
    parts.removeAll({});
    lines << parts.join(QStringLiteral("  "));
  }
  setAccessibleDescription(lines.join(QLatin1Char('\n')));
}

QFont SummaryView::heading() const {
  QFont bold = font();
  bold.setWeight(QFont::DemiBold);
  return bold;
}

void SummaryView::measure() {
  m_names = m_numbers = m_shares = 0;
  const auto widthOf = [metrics = fontMetrics()](const QString& words) {  // 1 px more, as shortening rounds up
    return words.isEmpty() ? 0 : metrics.horizontalAdvance(words) + 1;
  };
  for (const Row& row : m_rows) m_shares = std::max(m_shares, widthOf(row.share));
  for (const Row& row : m_rows) {
    if (row.isHeading) continue;
    m_names = std::max(m_names, widthOf(row.name));
    m_numbers = std::max(m_numbers, widthOf(row.count) + (row.isSaid || m_shares == 0 ? 0 : kGap + m_shares));
  }
  updateGeometry();
  update();
}

void SummaryView::changeEvent(QEvent* event) {
  QWidget::changeEvent(event);
  if (event->type() == QEvent::FontChange || event->type() == QEvent::StyleChange) measure();
}

int SummaryView::wordsHeight(const Row& row, int width) const {
  if (row.words.isEmpty()) return 0;
  const int indent = row.name.isEmpty() ? 0 : kIndent;
  return fontMetrics().boundingRect(QRect(0, 0, std::max(width - indent, 80), 100'000), kWrapped, row.words).height();
}

int SummaryView::lineHeight(const Row& row) const {
  return (row.name.isEmpty() ? 0 : kLine) + (row.isHeading && &row != &m_rows.front() ? kAbove : 0);
}

int SummaryView::heightForWidth(int width) const {
  int height = 0;
  for (const Row& row : m_rows) height += lineHeight(row) + wordsHeight(row, width);
  return height;
}

void SummaryView::paintEvent(QPaintEvent* event) {
  const Theme& t = Theme::current();
  QPainter p(this);
  const int right = std::min(width(), m_names + kGap + m_numbers);
  int y = 0;
  for (const Row& row : m_rows) {
    const int high = lineHeight(row);
    const int words = wordsHeight(row, width());
    if (y + high + words >= event->rect().top() && y <= event->rect().bottom()) {
      const auto cell = [&](int from, int wide, Qt::Alignment side, const QString& said, const QFont& font) {
        p.setFont(font);
        p.drawText(QRect(from, y + high - kLine, wide, kLine), side | Qt::AlignVCenter,
                   QFontMetrics(font).elidedText(said, Qt::ElideRight, wide));
      };
      p.setPen(t.ink);
      if (row.isHeading) {
        cell(0, width(), Qt::AlignLeft, row.name, heading());
      } else {
        // What has no share, a volume, has the room of both; a loose end's number stands in the numbers' column.
        const int count = right - (row.isSaid ? 0 : m_shares > 0 ? kGap + m_shares : 0);
        cell(0, right - m_numbers - kGap, Qt::AlignLeft, row.name, font());
        cell(right - m_numbers, count - right + m_numbers, Qt::AlignRight, row.count, font());
        cell(right - m_shares, m_shares, Qt::AlignRight, row.share, font());
      }
      if (words > 0) {
        p.setFont(font());
        if (!row.name.isEmpty()) p.setPen(t.quiet);
        const int indent = row.name.isEmpty() ? 0 : kIndent;
        p.drawText(QRect(indent, y + high, width() - indent, words), kWrapped, row.words);
      }
    }
    y += high + words;
  }
}

}  // namespace arvesk
