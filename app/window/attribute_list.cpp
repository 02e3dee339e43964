#include "app/window/attribute_list.h"

#include "core/base/pattern.h"

#include <QCheckBox>
#include <QListWidget>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include <algorithm>

namespace arvesk {

AttributeList::AttributeList(QWidget* parent)
    : QWidget(parent), m_all(new QCheckBox(this)), m_list(new QListWidget(this)) {
  m_all->setObjectName(QStringLiteral("export_attributes"));
  m_list->setObjectName(QStringLiteral("export_attribute_list"));
  m_list->setAccessibleName(tr("Attributes to write"));
  m_list->setFlow(QListView::LeftToRight);
  m_list->setWrapping(true);
  m_list->setResizeMode(QListView::Adjust);
  m_list->setSelectionMode(QAbstractItemView::NoSelection);
  m_list->setSpacing(1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  column->addWidget(m_all);
  column->addWidget(m_list);
  connect(m_all, &QCheckBox::clicked, this, [this] { chooseAll(m_all->checkState() != Qt::Unchecked); });
  connect(m_list, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
    m_isChosen[item->data(Qt::UserRole).toString().toStdString()] = item->checkState() == Qt::Checked;
    showState();
  });
  m_all->setChecked(true);
  setNames({});
}

void AttributeList::setNames(const std::set<std::string>& names) {
  const QSignalBlocker blocked(m_list);
  m_list->clear();
  for (const std::string& name : names) {
    const bool isChosen = m_isChosen.try_emplace(name, m_all->checkState() != Qt::Unchecked).first->second;
    auto* item = new QListWidgetItem(QString::fromStdString(name), m_list);
    item->setData(Qt::UserRole, QString::fromStdString(name));
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable);
    item->setCheckState(isChosen ? Qt::Checked : Qt::Unchecked);
  }
  m_list->setVisible(!names.empty());
  fit();
  showState();
}

/// As tall as its rows, up to three; more scroll.
void AttributeList::fit() {
  if (m_list->count() == 0) return;
  m_list->doItemsLayout();
  const int row = m_list->visualItemRect(m_list->item(0)).height() + 2 * m_list->spacing();
  const int rows = (m_list->visualItemRect(m_list->item(m_list->count() - 1)).bottom() + row) / row;
  m_list->setFixedHeight(std::clamp(rows, 1, 3) * row + 2 * m_list->frameWidth() + 4);
}

void AttributeList::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  fit();
}

void AttributeList::chooseAll(bool isChosen) {
  {
    const QSignalBlocker blocked(m_list);
    for (auto& [name, was] : m_isChosen) was = isChosen;
    for (int i = 0; i < m_list->count(); ++i) m_list->item(i)->setCheckState(isChosen ? Qt::Checked : Qt::Unchecked);
  }
  m_all->setCheckState(isChosen ? Qt::Checked : Qt::Unchecked);
  showState();
}

void AttributeList::showState() {
  int chosen = 0;
  for (int i = 0; i < m_list->count(); ++i) chosen += m_list->item(i)->checkState() == Qt::Checked;
  if (m_list->count() == 0) {
    m_all->setText(tr("Attributes of the points"));
    return;
  }
  m_all->setText(tr("Attributes of the points, %1 of %2").arg(chosen).arg(m_list->count()));
  m_all->setCheckState(chosen == 0 ? Qt::Unchecked : chosen == m_list->count() ? Qt::Checked : Qt::PartiallyChecked);
}

std::vector<std::string> AttributeList::patterns() const {
  if (m_all->checkState() == Qt::Unchecked) return {};
  std::vector<std::string> names;
  for (int i = 0; i < m_list->count(); ++i)
    if (m_list->item(i)->checkState() == Qt::Checked)
      names.push_back(asLiteral(m_list->item(i)->data(Qt::UserRole).toString().toStdString()));
  // Everything is everything, also what final quality carries beside.
  if (static_cast<int>(names.size()) == m_list->count()) return {"*"};
  return names;
}

}  // namespace arvesk
