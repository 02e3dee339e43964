#include "app/bench/choice_box.h"

#include "app/window/theme.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QToolButton>
#include <QWheelEvent>

namespace arvesk {
namespace {

constexpr int kMostButtons = 4;
constexpr int kMostWidth = 290;  // px; what is wider has no room on the narrowest Bench
constexpr int kAround = 16;      // px beside the words of a button

/// A combo box that leaves the wheel to the scroll area unless it has focus.
class QuietCombo : public QComboBox {
 public:
  using QComboBox::QComboBox;
  void wheelEvent(QWheelEvent* event) override {
    if (hasFocus())
      QComboBox::wheelEvent(event);
    else
      event->ignore();
  }
  /// "=" is for whoever holds it (a formula), not for finding an entry.
  void keyPressEvent(QKeyEvent* event) override {
    if (event->text() == QStringLiteral("="))
      event->ignore();
    else
      QComboBox::keyPressEvent(event);
  }
};

}  // namespace

ChoiceBox::ChoiceBox(QStringList ids, const QStringList& words, QWidget* parent)
    : QWidget(parent), m_ids(std::move(ids)), m_words(words) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  if (count() <= kMostButtons && wordsWidth() <= kMostWidth) {
    row->setContentsMargins(1, 1, 1, 1);
    setFocusPolicy(Qt::StrongFocus);
    for (int i = 0; i < count(); ++i) {
      auto* b = new QToolButton;
      b->setText(m_words[i]);
      b->setObjectName(QStringLiteral("choice.") + m_ids[i]);
      b->setProperty("role", QStringLiteral("choice"));
      b->setCheckable(true);
      b->setFocusPolicy(Qt::NoFocus);  // arrows go through them
      connect(b, &QToolButton::clicked, this, [this, i] {
        setFocus();
        setCurrentIndex(i);
        Q_EMIT activated(i);
      });
      row->addWidget(b);
      m_buttons.push_back(b);
    }
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    return;
  }
  m_combo = new QuietCombo;
  m_combo->setFocusPolicy(Qt::StrongFocus);
  m_combo->setMinimumContentsLength(6);
  m_combo->addItems(m_words);
  setFocusProxy(m_combo);
  row->addWidget(m_combo);
  connect(m_combo, &QComboBox::activated, this, [this](int i) {
    m_index = i;
    Q_EMIT activated(i);
  });
}

void ChoiceBox::setCurrentIndex(int index) {
  m_index = index;
  if (m_combo) m_combo->setCurrentIndex(index);
  for (int i = 0; i < static_cast<int>(m_buttons.size()); ++i)
    m_buttons[static_cast<std::size_t>(i)]->setChecked(i == index);
}

int ChoiceBox::wordsWidth() const {
  int width = 2;
  for (const QString& word : m_words) width += fontMetrics().horizontalAdvance(word) + kAround;
  return width;
}

QToolButton* ChoiceBox::button(const QString& id) const {
  const auto i = m_ids.indexOf(id);
  return i < 0 || m_buttons.empty() ? nullptr : m_buttons[static_cast<std::size_t>(i)];
}

void ChoiceBox::keyPressEvent(QKeyEvent* event) {
  const bool isBack = event->key() == Qt::Key_Left || event->key() == Qt::Key_Up;
  const bool isOn = event->key() == Qt::Key_Right || event->key() == Qt::Key_Down;
  if (!isBack && !isOn) return QWidget::keyPressEvent(event);
  const int next = std::clamp(m_index + (isOn ? 1 : -1), 0, count() - 1);
  if (next == m_index) return;
  setCurrentIndex(next);
  Q_EMIT activated(next);
}

void ChoiceBox::focusInEvent(QFocusEvent*) { update(); }
void ChoiceBox::focusOutEvent(QFocusEvent*) { update(); }

void ChoiceBox::paintEvent(QPaintEvent*) {
  if (m_buttons.empty()) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(hasFocus() ? Theme::current().accent : Theme::current().rule, 1));
  p.setBrush(Theme::current().field);
  p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
}

}  // namespace arvesk
