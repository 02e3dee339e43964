#include "app/plan/pick_list.h"

#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace arvesk {

PickList::PickList(QWidget* parent) : PopupList(parent), m_title(new QLabel(this)) {
  setObjectName(QStringLiteral("pick_list"));
  m_title->setProperty("role", QStringLiteral("section"));
  m_line->setObjectName(QStringLiteral("pick_line"));
  m_line->setPlaceholderText(tr("Type to narrow the list"));
  m_list->setObjectName(QStringLiteral("picks"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 8, 8, 8);
  column->setSpacing(6);
  column->addWidget(m_title);
  column->addWidget(m_line);
  column->addWidget(m_list, 1);
}

void PickList::open(const QPoint& at, const QString& title, std::vector<Pick> picks) {
  m_picks = std::move(picks);
  m_title->setText(title);
  m_line->setAccessibleName(title);
  m_list->setAccessibleName(title);
  const int rows = std::clamp(static_cast<int>(m_picks.size()), 3, 12);
  openAt(at, QSize(360, 76 + rows * 24));
}

void PickList::fill() {
  m_list->clear();
  const QStringList asked = m_line->text().split(QLatin1Char(' '), Qt::SkipEmptyParts);
  for (std::size_t i = 0; i < m_picks.size(); ++i) {
    const QString words = m_picks[i].note.isEmpty() ? m_picks[i].words
                                                    : QStringLiteral("%1 · %2").arg(m_picks[i].words, m_picks[i].note);
    if (!std::all_of(asked.begin(), asked.end(),
                     [&](const QString& w) { return words.contains(w, Qt::CaseInsensitive); }))
      continue;
    auto* item = new QListWidgetItem(words, m_list);
    item->setToolTip(words);
    item->setData(Qt::UserRole, static_cast<int>(i));
  }
  if (m_list->count() == 0) {
    auto* none = new QListWidgetItem(m_picks.empty() ? tr("Nothing fits") : tr("Nothing has these words"), m_list);
    none->setFlags(Qt::NoItemFlags);
  }
  m_list->setCurrentRow(0);
}

void PickList::choose() {
  const QListWidgetItem* item = m_list->currentItem();
  if (!item || !item->data(Qt::UserRole).isValid()) return;
  const auto chosen = m_picks[static_cast<std::size_t>(item->data(Qt::UserRole).toInt())].chosen;
  leave();
  chosen();
}

}  // namespace arvesk
