#include "app/window/key_window.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <QTreeWidget>
#include <QVBoxLayout>

namespace arvesk {
namespace {

QString keyText(const QAction& action) {
  QStringList out;
  for (const QKeySequence& k : action.shortcuts()) out.append(k.toString(QKeySequence::NativeText));
  return out.join(QStringLiteral(", "));
}

}  // namespace

KeyWindow::KeyWindow(Commands& commands, QWidget* parent)
    : QDialog(parent), m_commands(commands), m_search(new QLineEdit), m_list(new QTreeWidget), m_fault(new QLabel) {
  setObjectName(QStringLiteral("key_window"));
  setWindowTitle(tr("Keys and mouse"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(640, 620);
  m_search->setObjectName(QStringLiteral("key_search"));
  m_search->setPlaceholderText(tr("a word, or a key such as Ctrl+E"));
  m_search->setClearButtonEnabled(true);
  m_search->setAccessibleName(tr("Search commands and keys"));
  buildList();
  m_fault->setObjectName(QStringLiteral("key_fault"));
  m_fault->setWordWrap(true);
  m_fault->hide();
  auto* all = new QPushButton(tr("All as they were"));
  all->setObjectName(QStringLiteral("keys_reset"));
  all->setAutoDefault(false);
  auto* close = new QPushButton(tr("Close"));
  close->setAutoDefault(false);
  auto* buttons = new QHBoxLayout;
  buttons->addWidget(all);
  buttons->addStretch(1);
  buttons->addWidget(close);
  auto* column = new QVBoxLayout(this);
  column->addWidget(m_search);
  column->addWidget(m_list, 1);
  column->addWidget(m_fault);
  column->addWidget(mouseHelp());
  column->addLayout(buttons);
  connect(m_search, &QLineEdit::textChanged, this, &KeyWindow::filter);
  connect(all, &QPushButton::clicked, &m_commands, &Commands::resetAll);
  connect(close, &QPushButton::clicked, this, &QDialog::close);
  connect(&m_commands, &Commands::keysChanged, this, &KeyWindow::showKeys);
  fill();
}

void KeyWindow::buildList() {
  m_list->setObjectName(QStringLiteral("key_list"));
  m_list->setColumnCount(4);
  m_list->setHeaderLabels({tr("Command"), tr("Acts"), tr("Keys"), QString()});
  m_list->setRootIsDecorated(false);
  m_list->setAlternatingRowColors(false);
  m_list->header()->setStretchLastSection(false);
  m_list->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  m_list->header()->setSectionResizeMode(1, QHeaderView::Fixed);
  m_list->header()->resizeSection(1, 104);
  m_list->header()->setSectionResizeMode(2, QHeaderView::Fixed);
  m_list->header()->setSectionResizeMode(3, QHeaderView::ResizeToContents);
  m_list->header()->resizeSection(2, 210);
}

QLabel* KeyWindow::mouseHelp() {
  auto* mouse = new QLabel(
      tr("<b>Plan</b> double-click on paper adds, on a ribbon inserts · drag from a card's foot connects · drag over "
         "paper selects · Ctrl+wheel zooms · middle drag pans<br>"
         "<b>Site</b> middle drag orbits about the point under the cursor, right drag pans, the wheel goes toward the "
         "cursor; with Alt also left, middle, right · "
         "click tells what is there · left drag selects, Shift adds · a Painted mask, a Region or a Part of surface "
         "that is selected takes the left drag<br>"
         "<b>Bench</b> drag numbers sideways, use arrow keys or the wheel, or type sums and units (1.6/2, 45 cm, 0.8 "
         "rad)"));
  mouse->setWordWrap(true);
  mouse->setProperty("role", QStringLiteral("quiet"));
  return mouse;
}

KeyWindow::~KeyWindow() {
  // A field that loses the focus while the window comes apart would give its keys to what is gone.
  for (QKeySequenceEdit* edit : findChildren<QKeySequenceEdit*>()) edit->disconnect(this);
  m_commands.disconnect(this);
}

void KeyWindow::fill() {
  for (std::size_t i = 0; i < m_commands.all().size(); ++i) {
    const Command& c = m_commands.all()[i];
    const QString words = QString(c.action->text()).remove(QLatin1Char('&'));
    auto* item = new QTreeWidgetItem(m_list, {QStringLiteral("%1 · %2").arg(c.group, words),
                                              c.view ? tr("in %1").arg(c.view->accessibleName()) : tr("everywhere")});
    m_items.push_back(item);
    auto* edit = new QKeySequenceEdit(m_list);
    edit->setObjectName(QStringLiteral("key.") + c.action->objectName());
    edit->setAccessibleName(tr("Keys of %1").arg(words));
    edit->setToolTip(tr("Click, then press the keys that shall do this"));
    connect(edit, &QKeySequenceEdit::keySequenceChanged, this, [this, i](const QKeySequence& keys) { give(i, keys); });
    m_list->setItemWidget(item, 2, edit);
    auto* none = new QToolButton(m_list);
    none->setText(tr("None"));
    none->setObjectName(QStringLiteral("nokey.") + c.action->objectName());
    none->setAccessibleName(tr("Take the keys of %1 away").arg(words));
    connect(none, &QToolButton::clicked, this, [this, i] { m_commands.setKeys(m_commands.all()[i], {}); });
    m_list->setItemWidget(item, 3, none);
  }
  showKeys();
}

void KeyWindow::showKeys() {
  m_fault->hide();
  for (std::size_t i = 0; i < m_items.size(); ++i) {
    const Command& c = m_commands.all()[i];
    auto* edit = qobject_cast<QKeySequenceEdit*>(m_list->itemWidget(m_items[i], 2));
    const QSignalBlocker blocked(edit);
    edit->setKeySequence(c.action->shortcut());
    edit->setToolTip(c.action->shortcuts().size() > 1
                         ? tr("Also %1. Click, then press the keys that shall do this instead").arg(keyText(*c.action))
                         : tr("Click, then press the keys that shall do this"));
    m_list->itemWidget(m_items[i], 3)->setEnabled(!c.action->shortcuts().isEmpty());
    QFont font = m_items[i]->font(0);
    font.setBold(c.action->shortcuts() != c.usual);  // what is not as delivered stands out
    m_items[i]->setFont(0, font);
  }
  filter();
}

void KeyWindow::filter() {
  const QString words = m_search->text().trimmed();
  for (std::size_t i = 0; i < m_items.size(); ++i) {
    const bool isMeant = m_items[i]->text(0).contains(words, Qt::CaseInsensitive) ||
                         keyText(*m_commands.all()[i].action).contains(words, Qt::CaseInsensitive);
    m_items[i]->setHidden(!isMeant);
  }
}

void KeyWindow::give(std::size_t index, QKeySequence keys) {
  const Command& command = m_commands.all()[index];
  if (keys.count() > 1) keys = QKeySequence(keys[0]);  // one press, not a word of them
  if (keys.isEmpty()) return;
  if (const Command* rival = m_commands.rivalOf(command, keys)) {
    showKeys();
    m_fault->show();
    m_fault->setText(
        tr("%1 is what \"%2\" answers to. Give that other keys first, or none.")
            .arg(keys.toString(QKeySequence::NativeText), QString(rival->action->text()).remove(QLatin1Char('&'))));
    return;
  }
  m_commands.setKeys(command, {keys});
}

}  // namespace arvesk
