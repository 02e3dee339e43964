#include "app/plan/find_field.h"

#include "app/window/theme.h"

#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace arvesk {

FindField::FindField(QWidget* parent)
    : QFrame(parent), m_line(new QLineEdit(this)), m_list(new QListWidget(this)), m_help(new QLabel(this)) {
  setObjectName(QStringLiteral("find_field"));
  setAutoFillBackground(true);
  setAttribute(Qt::WA_StyledBackground);
  m_line->setObjectName(QStringLiteral("find_line"));
  m_line->setPlaceholderText(tr("Add a node: name or what it does"));
  m_line->setAccessibleName(tr("Find a node to add"));
  m_list->setObjectName(QStringLiteral("find_list"));
  m_list->setUniformItemSizes(false);
  m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_help->setWordWrap(true);
  m_help->setProperty("role", QStringLiteral("quiet"));
  m_help->setMinimumHeight(64);
  m_help->setAlignment(Qt::AlignTop);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 8, 8, 8);
  column->setSpacing(6);
  column->addWidget(m_line);
  column->addWidget(m_list, 1);
  column->addWidget(m_help);
  resize(330, 400);
  hide();
  m_line->installEventFilter(this);
  m_list->installEventFilter(this);
  connect(m_line, &QLineEdit::textChanged, this, &FindField::fill);
  connect(m_list, &QListWidget::itemClicked, this, &FindField::choose);
  connect(m_list, &QListWidget::currentRowChanged, this, [this] {
    const QListWidgetItem* item = m_list->currentItem();
    const NodeKind* kind = item ? findNodeKind(item->data(Qt::UserRole).toString().toStdString()) : nullptr;
    QString help = kind ? tr(kind->help.c_str()).section(QStringLiteral(". "), 0, 0) : QString();
    if (!help.isEmpty() && !help.endsWith(QLatin1Char('.'))) help += QLatin1Char('.');
    m_help->setText(help);
  });
}

void FindField::open(const QPoint& at, std::function<bool(const NodeKind&)> fits,
                     std::function<void(const NodeKind&)> chosen) {
  m_fits = std::move(fits);
  m_chosen = std::move(chosen);
  const QRect room = parentWidget()->rect().adjusted(6, 6, -6, -6);
  resize(std::min(330, room.width()), std::min(400, room.height()));
  QPoint place = at;
  place.setX(std::clamp(place.x(), room.left(), std::max(room.left(), room.right() - width())));
  place.setY(std::clamp(place.y(), room.top(), std::max(room.top(), room.bottom() - height())));
  move(place);
  m_line->clear();
  fill();
  show();
  raise();
  m_line->setFocus();
}

void FindField::fill() {
  m_list->clear();
  const QString words = m_line->text().trimmed().toLower();
  const Family* before = nullptr;
  int best = -1;
  for (const NodeKind* kind : allNodeKinds()) {
    if (m_fits && !m_fits(*kind)) continue;
    const QString label = tr(kind->label.c_str());
    bool isMatch = words.isEmpty() || label.toLower().contains(words) ||
                   tr(familyLabel(kind->family)).toLower().startsWith(words);
    for (const std::string& s : kind->synonyms) isMatch = isMatch || QString::fromStdString(s).contains(words);
    if (!isMatch) continue;
    if (!before || *before != kind->family) {
      auto* head = new QListWidgetItem(tr(familyLabel(kind->family)), m_list);
      head->setFlags(Qt::NoItemFlags);
      head->setForeground(Theme::current().quiet);
      QFont f = font();
      f.setPixelSize(11);
      head->setFont(f);
    }
    before = &kind->family;
    auto* item = new QListWidgetItem(
        QIcon(glyph(QString::fromStdString(kind->glyph), Theme::current().ink, 16, devicePixelRatioF())), label,
        m_list);
    item->setData(Qt::UserRole, QString::fromStdString(kind->id));
    if (!words.isEmpty() && best < 0 && label.toLower().startsWith(words)) best = m_list->row(item);
  }
  if (best < 0)
    for (int i = 0; i < m_list->count() && best < 0; ++i)
      if (m_list->item(i)->flags() & Qt::ItemIsEnabled) best = i;
  m_list->setCurrentRow(best);
}

void FindField::choose() {
  const QListWidgetItem* item = m_list->currentItem();
  const NodeKind* kind = item ? findNodeKind(item->data(Qt::UserRole).toString().toStdString()) : nullptr;
  if (!kind) return;
  hide();
  parentWidget()->setFocus();
  if (m_chosen) m_chosen(*kind);
}

bool FindField::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Escape) {
      hide();
      parentWidget()->setFocus();
      return true;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
      choose();
      return true;
    }
    if (watched == m_line && (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up)) {
      int row = m_list->currentRow();
      do row += key->key() == Qt::Key_Down ? 1 : -1;
      while (row >= 0 && row < m_list->count() && !(m_list->item(row)->flags() & Qt::ItemIsEnabled));
      if (row >= 0 && row < m_list->count()) m_list->setCurrentRow(row);
      return true;
    }
  }
  if (event->type() == QEvent::FocusOut)
    QMetaObject::invokeMethod(
        this,
        [this] {
          if (!m_line->hasFocus() && !m_list->hasFocus()) hide();
        },
        Qt::QueuedConnection);
  return QFrame::eventFilter(watched, event);
}

}  // namespace arvesk
