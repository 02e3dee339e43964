#include "app/window/recovery_window.h"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>

namespace arvesk {
namespace {

constexpr int kWork = Qt::UserRole;
constexpr int kVersion = Qt::UserRole + 1;

}  // namespace

RecoveryWindow::RecoveryWindow(std::vector<KeptWork> works, QWidget* parent)
    : QDialog(parent), m_works(std::move(works)), m_list(new QTreeWidget(this)) {
  setObjectName(QStringLiteral("recovery_box"));
  setWindowTitle(tr("Unsaved work was found"));
  resize(620, 320);
  auto* words = new QLabel(tr("Arvesk ended before these changes were saved. Earlier versions are below each."), this);
  words->setWordWrap(true);
  m_list->setObjectName(QStringLiteral("recovery_list"));
  m_list->setAccessibleName(tr("Unsaved work"));
  m_list->setColumnCount(3);
  m_list->setHeaderLabels({tr("Plan"), tr("Kept"), tr("Last step")});
  m_list->header()->setStretchLastSection(true);
  m_list->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
  m_list->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
  const auto button = [&](const QString& text, const char* name) {
    auto* b = new QPushButton(text, this);
    b->setObjectName(QLatin1String(name));
    return b;
  };
  QPushButton* take = button(tr("Take back"), "recovery_take");
  QPushButton* discard = button(tr("Discard"), "recovery_discard");
  QPushButton* later = button(tr("Later"), "recovery_later");
  discard->setToolTip(tr("Deletes all kept versions of the selected plan"));
  later->setToolTip(tr("Nothing is deleted; you are asked again at the next start"));
  take->setDefault(true);
  auto* row = new QHBoxLayout;
  row->addWidget(discard);
  row->addStretch(1);
  row->addWidget(later);
  row->addWidget(take);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 16, 16, 16);
  column->setSpacing(10);
  column->addWidget(words);
  column->addWidget(m_list, 1);
  column->addLayout(row);
  connect(take, &QPushButton::clicked, this, &RecoveryWindow::take);
  connect(discard, &QPushButton::clicked, this, &RecoveryWindow::giveUp);
  connect(later, &QPushButton::clicked, this, &RecoveryWindow::reject);  // as Esc does
  connect(m_list, &QTreeWidget::itemDoubleClicked, this, &RecoveryWindow::take);
  fill();
}

void RecoveryWindow::fill() {
  m_list->clear();
  for (std::size_t w = 0; w < m_works.size(); ++w) {
    const KeptWork& work = m_works[w];
    QTreeWidgetItem* top = nullptr;
    for (std::size_t v = 0; v < work.versions.size(); ++v) {
      const KeptVersion& version = work.versions[v];
      const QString name = work.plan.isEmpty() ? tr("a new plan") : QFileInfo(work.plan).fileName();
      const QStringList cells{v == 0 ? name : tr("earlier"), QLocale().toString(version.when, QLocale::ShortFormat),
                              version.words};
      auto* item = top ? new QTreeWidgetItem(top, cells) : new QTreeWidgetItem(m_list, cells);
      item->setData(0, kWork, static_cast<int>(w));
      item->setData(0, kVersion, static_cast<int>(v));
      item->setToolTip(0, QDir::toNativeSeparators(work.plan));
      if (!top) top = item;
    }
  }
  m_list->setCurrentItem(m_list->topLevelItem(0));
}

void RecoveryWindow::take() {
  const QTreeWidgetItem* item = m_list->currentItem();
  if (!item) return;
  m_chosen = m_works[static_cast<std::size_t>(item->data(0, kWork).toInt())];
  auto& versions = m_chosen->versions;
  const auto at = versions.begin() + item->data(0, kVersion).toInt();
  std::rotate(versions.begin(), at, at + 1);
  accept();
}

void RecoveryWindow::giveUp() {
  const QTreeWidgetItem* item = m_list->currentItem();
  if (!item) return;
  const auto at = m_works.begin() + item->data(0, kWork).toInt();
  Recovery::remove(*at);
  m_works.erase(at);
  if (m_works.empty()) return reject();
  fill();
}

}  // namespace arvesk
