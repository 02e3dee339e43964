#include "app/bench/form.h"

#include "app/window/theme.h"

#include <QEvent>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QToolButton>
#include <QWhatsThis>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kGap = 10;
constexpr int kLeastHeight = 25;  // px; what has no room scrolls rather than being pressed
constexpr int kOneLine = 40;      // px; the name of a taller control stands beside its first line
constexpr int kLeastControl = 74;
constexpr int kSide = 8;  // right of all

int widthOf(const QWidget* w) { return std::max(w->minimumSizeHint().width(), w->minimumWidth()); }

}  // namespace

Form::Form(QWidget* parent) : QWidget(parent), m_grid(new QGridLayout(this)) {
  m_grid->setContentsMargins(0, 2, kSide, 8);
  m_grid->setHorizontalSpacing(kGap);
  m_grid->setVerticalSpacing(4);
}

int Form::add(const QString& label, const QString& help, QWidget* editor, bool isWide) {
  auto* name = new QWidget(this);
  auto* row = new QHBoxLayout(name);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(1);
  auto* words = new QLabel(label, name);
  words->setProperty("role", QStringLiteral("quiet"));
  words->setBuddy(editor);
  row->addWidget(words);
  name->setToolTip(help);
  editor->setToolTip(help);
  if (!help.isEmpty()) {
    auto* ask = new QToolButton(name);
    ask->setText(QStringLiteral("?"));
    ask->setProperty("role", QStringLiteral("ask"));
    ask->setObjectName(QStringLiteral("help.") + editor->objectName());
    ask->setAccessibleName(tr("What %1 does").arg(label));
    ask->setFocusPolicy(Qt::NoFocus);  // Shift+F1 opens it from the control
    row->addWidget(ask);
    const QString said = QStringLiteral("<b>%1</b><br>%2").arg(label.toHtmlEscaped(), help.toHtmlEscaped());
    connect(ask, &QToolButton::clicked, this,
            [ask, said] { QWhatsThis::showText(ask->mapToGlobal(QPoint(0, ask->height())), said, ask); });
    editor->setWhatsThis(said);
    editor->setAccessibleDescription(help);
  }
  row->addStretch(1);
  m_rows.push_back({name, editor, isWide, true});
  m_isStale = true;
  return static_cast<int>(m_rows.size()) - 1;
}

int Form::addHeading(QWidget* heading) {
  m_rows.push_back({new QWidget(this), heading, true, true, true});
  m_isStale = true;
  return static_cast<int>(m_rows.size()) - 1;
}

void Form::showMark(int row, const std::string& id, bool isOn, bool isFull) {
  Row& r = m_rows[static_cast<std::size_t>(row)];
  if (!isOn && !r.mark) return;
  if (!r.mark) {
    r.mark = new QLabel(r.name);
    r.mark->setObjectName(QStringLiteral("keys.") + QString::fromStdString(id));
    auto* line = static_cast<QHBoxLayout*>(r.name->layout());
    line->insertWidget(line->count() - 1, r.mark);
    m_isStale = true;
  }
  constexpr int kBead = 8;
  QPixmap bead(QSize(kBead, kBead) * devicePixelRatioF());
  bead.setDevicePixelRatio(devicePixelRatioF());
  bead.fill(Qt::transparent);
  QPainter painter(&bead);
  painter.setRenderHint(QPainter::Antialiasing);
  const QColor color = Theme::current().accent;
  painter.setPen(QPen(color, 1.5));
  painter.setBrush(isFull ? QBrush(color) : QBrush(Qt::NoBrush));
  painter.drawEllipse(QRectF(1, 1, kBead - 2, kBead - 2));
  painter.end();
  r.mark->setPixmap(bead);
  r.mark->setToolTip(isFull ? tr("Moves, with a key at this frame") : tr("Moves: it has keys at other frames"));
  r.mark->setAccessibleName(r.mark->toolTip());
  r.mark->setVisible(isOn);
}

void Form::setShown(int row, bool isShown) {
  Row& r = m_rows[static_cast<std::size_t>(row)];
  if (r.isShown == isShown) return;
  r.isShown = isShown;
  m_isStale = true;
}

bool Form::fitsBeside(const Row& r, int names) const { return names + kGap + widthOf(r.editor) <= m_width - kSide; }

/// The first shape in which nothing is cut. A wide control that has no room beside its name stands below it.
Form::Shape Form::shapeFor(int width) const {
  int names[2] = {0, 0};
  int controls[2] = {kLeastControl, kLeastControl};
  int anyName = 0;
  int anyControl = kLeastControl;
  int cell = 0;
  for (const Row& r : m_rows) {
    if (!r.isShown) continue;
    const int name = r.name->sizeHint().width();
    if (r.isWide) {
      cell += cell % 2 + 2;
      names[0] = std::max(names[0], name);
      anyName = std::max(anyName, name);
      continue;
    }
    const int control = widthOf(r.editor);
    anyName = std::max(anyName, name);
    anyControl = std::max(anyControl, control);
    names[cell % 2] = std::max(names[cell % 2], name);
    controls[cell % 2] = std::max(controls[cell % 2], control);
    ++cell;
  }
  const int room = width - kSide;
  if (names[0] + controls[0] + names[1] + controls[1] + 3 * kGap <= room) return Shape::Pairs;
  return anyName + kGap + anyControl <= room ? Shape::Rows : Shape::NamesAbove;
}

/// A control that opens, as a range does, may need another shape.
bool Form::event(QEvent* event) {
  if (event->type() == QEvent::LayoutRequest && m_width > 0 && shapeFor(m_width) != m_shape) {
    m_isStale = true;
    placeFor(m_width);
  }
  return QWidget::event(event);
}

int Form::leastWidth() const {
  int least = kLeastControl;
  for (const Row& r : m_rows)
    if (r.isShown) least = std::max({least, r.name->sizeHint().width(), widthOf(r.editor)});
  return least + kSide;
}

void Form::placeFor(int width) {
  if (width == m_width && !m_isStale) return;
  m_width = width;
  m_isStale = false;
  const Shape shape = m_shape = shapeFor(width);
  while (QLayoutItem* item = m_grid->takeAt(0)) delete item;
  for (int row = 0; row < m_grid->rowCount(); ++row) {
    m_grid->setRowStretch(row, 0);
    m_grid->setRowMinimumHeight(row, 0);
  }
  for (int column = 0; column < 4; ++column)
    m_grid->setColumnStretch(column, shape == Shape::NamesAbove ? column == 0 : column % 2);
  int names = 0;  // of the first column
  for (const Row& r : m_rows)
    if (r.isShown) names = std::max(names, r.name->sizeHint().width());
  int line = 0;
  bool isSecond = false;  // the next one goes into the right half
  for (const Row& r : m_rows) {
    r.name->setVisible(r.isShown);
    r.editor->setVisible(r.isShown);
    if (!r.isShown) continue;
    // What has several lines may get more of them later, so that the least height is the line's, not the control's.
    const bool isTall = r.editor->sizeHint().height() > kOneLine;
    const Qt::Alignment beside = isTall ? Qt::AlignTop : Qt::AlignVCenter;
    const bool isAlone = r.isWide || shape != Shape::Pairs;
    const auto keepHeight = [&](int row) {
      if (!isTall) m_grid->setRowMinimumHeight(row, kLeastHeight);
    };
    if (isAlone && isSecond) {
      ++line;
      isSecond = false;
    }
    if (r.isHeading) {
      m_grid->addWidget(r.editor, line++, 0, 1, 4, Qt::AlignLeft);
    } else if (shape == Shape::NamesAbove || (r.isWide && !fitsBeside(r, names))) {
      m_grid->addWidget(r.name, line++, 0, 1, 4);
      keepHeight(line);
      m_grid->addWidget(r.editor, line++, 0, 1, 4);
    } else if (isAlone) {
      m_grid->addWidget(r.name, line, 0, beside);
      keepHeight(line);
      m_grid->addWidget(r.editor, line++, 1, 1, 3);
    } else {
      keepHeight(line);
      m_grid->addWidget(r.name, line, isSecond ? 2 : 0, beside);
      m_grid->addWidget(r.editor, line, isSecond ? 3 : 1);
      line += isSecond ? 1 : 0;
      isSecond = !isSecond;
    }
  }
  if (isSecond) ++line;
  m_grid->setRowStretch(line, 1);
}

}  // namespace arvesk
