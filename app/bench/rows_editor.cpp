#include "app/bench/rows_editor.h"

#include "app/bench/number_field.h"
#include "app/model/words.h"
#include "app/window/settings.h"
#include "app/window/theme.h"

#include "core/base/pattern.h"

#include <QColorDialog>
#include <QComboBox>
#include <QCompleter>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QToolButton>

namespace arvesk {
namespace {

/// Gestures of one row are told apart from those of number fields, which count from 1.
int g_rowGesture = 1'000'000'000;

constexpr int kPictureOfProp = 22;  // px

QIcon swatchOf(const QColor& color) {
  QPixmap pixmap(36, 36);
  pixmap.fill(color);
  pixmap.setDevicePixelRatio(2);
  return pixmap;
}

}  // namespace

std::pair<double, double> rangeIn(const QString& left) {
  const qsizetype word = left.indexOf(QLatin1String(" to "));
  const qsizetype at = word >= 0 ? word : left.indexOf(QLatin1Char('-'));
  if (at < 0) return {0, 1};
  return {left.left(at).trimmed().toDouble(), left.mid(at + (word >= 0 ? 4 : 1)).trimmed().toDouble()};
}
QString rangeOf(double from, double to) {
  return QString::number(from, 'g', 6) + QLatin1String(" to ") + QString::number(to, 'g', 6);  // the file's words
}

std::vector<TextPart> partsOf(const QString& words) {
  std::vector<TextPart> out;
  for (const QString& part : words.split(QLatin1Char(';'), Qt::SkipEmptyParts)) {
    const qsizetype colon = part.indexOf(QLatin1Char(':'));
    TextPart p{(colon < 0 ? part : part.left(colon)).trimmed(), colon < 0 ? QString() : part.mid(colon + 1).trimmed()};
    if (!p.left.isEmpty() || !p.right.isEmpty()) out.push_back(std::move(p));
  }
  return out;
}

QString joined(const std::vector<TextPart>& parts, TextForm form) {
  QStringList out;
  for (const TextPart& p : parts)
    out << (p.right.isEmpty() || form == TextForm::Ramp ? p.left : QStringLiteral("%1: %2").arg(p.left, p.right));
  return out.join(QStringLiteral("; "));
}

namespace {

constexpr std::size_t kMostNames = 60;

/// As a row can say it: neither mark that parts a text, any character in its place.
QString rowNameOf(const std::string& name) {
  QString out = text(name);
  for (const QChar mark : {QLatin1Char(':'), QLatin1Char(';')}) out.replace(mark, QLatin1Char('?'));
  return out;
}

/// Texts that no row means, most of them first.
std::vector<NameCount> unmetBy(const std::vector<TextPart>& parts, const std::vector<NameCount>& names) {
  std::vector<NameCount> out;
  for (const NameCount& n : names)
    if (!n.name.empty() && std::none_of(parts.begin(), parts.end(),
                                        [&](const TextPart& p) { return matches(p.left.toStdString(), n.name); }))
      out.push_back(n);
  std::stable_sort(out.begin(), out.end(), [](const NameCount& a, const NameCount& b) { return a.count > b.count; });
  if (out.size() > kMostNames) out.resize(kMostNames);
  return out;
}

}  // namespace

RowsEditor::RowsEditor(const ParamSpec& spec, const Plan& plan, PropPictures pictures, QWidget* parent)
    : ParamEditor(parent),
      m_id(text(spec.id)),
      m_form(spec.form),
      m_check(spec.check),
      m_pictures(std::move(pictures)),
      m_list(new QVBoxLayout),
      m_line(new QLineEdit(this)),
      m_fault(new QLabel(this)),
      m_unmet(new QLabel(this)),
      m_add(new QToolButton(this)),
      m_addUnmet(new QToolButton(this)),
      m_asText(new QToolButton(this)) {
  if (hasProps())
    for (const PropEntry& p : plan.props) m_props.push_back({p.uid, text(p.name), iconOf(p.uid)});
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(3);
  m_list->setSpacing(2);
  all->addLayout(m_list);
  all->addWidget(m_line);
  all->addWidget(m_fault);
  all->addWidget(m_unmet);
  auto* foot = new QHBoxLayout;
  foot->addWidget(m_add);
  foot->addWidget(m_addUnmet);
  foot->addWidget(m_asText);
  foot->addStretch(1);
  all->addLayout(foot);
  m_line->setObjectName(m_id);
  m_line->setAccessibleName(said(spec.label));
  m_line->hide();
  m_fault->setObjectName(m_id + QStringLiteral(".fault"));
  m_fault->setWordWrap(true);
  m_fault->hide();
  m_unmet->setObjectName(m_id + QStringLiteral(".unmet"));
  m_unmet->setWordWrap(true);
  m_unmet->setTextFormat(Qt::PlainText);
  m_unmet->setProperty("role", QStringLiteral("warning"));
  m_unmet->hide();
  m_addUnmet->setObjectName(m_id + QStringLiteral(".add_unmet"));
  m_addUnmet->setText(tr("Add these"));
  m_addUnmet->setToolTip(tr("A row for each text that no row means"));
  m_addUnmet->hide();
  connect(m_addUnmet, &QToolButton::clicked, this, [this] {
    for (const NameCount& n : unmetBy(m_parts, m_names))
      m_parts.push_back({rowNameOf(n.name), m_props.empty() ? QStringLiteral("*") : m_props[0].name});
    rebuild();
    change(++g_rowGesture);
  });
  m_add->setObjectName(m_id + QStringLiteral(".add"));
  m_add->setText(hasProps() ? tr("Add a rule") : tr("Add a color"));
  m_add->setVisible(m_form != TextForm::Color);
  m_asText->setObjectName(m_id + QStringLiteral(".as_text"));
  m_asText->setText(tr("As text"));
  m_asText->setCheckable(true);
  m_asText->setToolTip(said(spec.help));
  connect(m_add, &QToolButton::clicked, this, &RowsEditor::add);
  connect(m_asText, &QToolButton::toggled, this, &RowsEditor::showText);
  connect(m_line, &QLineEdit::textChanged, this, &RowsEditor::judge);
  connect(m_line, &QLineEdit::editingFinished, this, [this] {
    if (m_line->isModified()) Q_EMIT edited(m_line->text().toStdString(), ++g_rowGesture);
    m_line->setModified(false);
  });
}

void RowsEditor::show(const ParamValue& value) {
  const QString words = text(std::get<std::string>(value));
  if (!m_line->isModified()) {
    m_line->setText(words);
    if (!m_line->hasFocus()) m_line->setCursorPosition(0);  // a long text shows how it begins
  }
  judge();
  std::vector<TextPart> parts = partsOf(words);
  if (parts.size() != m_parts.size() || m_rows.size() != parts.size()) {
    m_parts = std::move(parts);
    rebuild();
  } else if (parts != m_parts) {
    m_parts = std::move(parts);
    for (std::size_t i = 0; i < m_rows.size(); ++i) fillRow(i);
  }
}

void RowsEditor::offer(const std::vector<NameCount>& names) {
  m_names = names;
  tellUnmet();
  if (m_form != TextForm::NameRules) return;
  QStringList all;
  for (const NameCount& n : names)
    if (all.size() < static_cast<qsizetype>(kMostNames)) all << rowNameOf(n.name);
  for (const Row& row : m_rows) {
    auto* completer = new QCompleter(all, row.fields[0]);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    static_cast<QLineEdit*>(row.fields[0])->setCompleter(completer);
  }
}

void RowsEditor::tellUnmet() {
  const std::vector<NameCount> unmet = m_form == TextForm::NameRules ? unmetBy(m_parts, m_names)
                                                                     : std::vector<NameCount>();
  QStringList words;
  for (std::size_t i = 0; i < std::min<std::size_t>(unmet.size(), 6); ++i)
    words << QStringLiteral("%1 (%2)").arg(text(unmet[i].name)).arg(unmet[i].count);
  if (unmet.size() > 6) words << tr("and %1 more").arg(unmet.size() - 6);
  m_unmet->setText(tr("no row means %1").arg(words.join(QStringLiteral(", "))));
  m_unmet->setVisible(!unmet.empty());
  m_addUnmet->setVisible(!unmet.empty() && !m_asText->isChecked());
}

void RowsEditor::showText(bool isText) {
  m_line->setVisible(isText);
  for (const Row& row : m_rows) row.holder->setVisible(!isText);
  m_add->setVisible(!isText && m_form != TextForm::Color);
  tellUnmet();
}

/// What cannot be read is told below the rows, with the text to mend.
void RowsEditor::judge() {
  const std::string fault = m_check ? m_check(m_line->text().toStdString()) : std::string();
  m_fault->setText(said(fault));
  m_fault->setStyleSheet(QStringLiteral("color: %1").arg(Theme::current().trouble.name()));
  m_fault->setVisible(!fault.empty());
}

void RowsEditor::rebuild() {
  // A field that loses the focus by being put away says so, of a row that is no more.
  for (const Row& row : m_rows) {
    for (QObject* child : row.holder->findChildren<QObject*>()) child->blockSignals(true);
    m_list->removeWidget(row.holder);
    row.holder->hide();
    row.holder->deleteLater();
  }
  m_rows.clear();
  for (std::size_t i = 0; i < m_parts.size(); ++i) addRow(i);
  showText(m_asText->isChecked());
}

void RowsEditor::addRow(std::size_t index) {
  Row row{new QWidget(this), {}};
  row.holder->setObjectName(QStringLiteral("%1.%2").arg(m_id).arg(index));
  auto* line = new QHBoxLayout(row.holder);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(4);
  if (m_form == TextForm::RangeRules) addRange(index, line, row);
  if (m_form == TextForm::NameRules) addName(index, line, row);
  if (hasProps())
    addProp(index, line, row);
  else
    addColor(index, line, row);
  if (m_form != TextForm::Color) {
    auto* away = new QToolButton(row.holder);
    away->setText(QStringLiteral("×"));
    away->setObjectName(QStringLiteral("%1.%2.remove").arg(m_id).arg(index));
    away->setAccessibleName(tr("Take row %1 away").arg(index + 1));
    connect(away, &QToolButton::clicked, this, [this, index] {
      m_parts.erase(m_parts.begin() + static_cast<std::ptrdiff_t>(index));
      rebuild();
      change(++g_rowGesture);
    });
    line->addWidget(away);
  }
  if (!hasProps()) line->addStretch(1);
  m_list->addWidget(row.holder);
  m_rows.push_back(std::move(row));
  fillRow(index);
}

void RowsEditor::addRange(std::size_t index, QLayout* to, Row& row) {
  ParamSpec share;
  share.hard(0, 1).usual(0, 1, 0.01);
  const QStringList names{tr("Mask value from"), tr("Mask value to")};
  for (int end = 0; end < 2; ++end) {
    auto* field = new NumberField(share, row.holder);
    field->setObjectName(
        QStringLiteral("%1.%2.%3").arg(m_id).arg(index).arg(end == 0 ? QStringLiteral("from") : QStringLiteral("to")));
    field->setAccessibleName(names[end]);
    field->setFixedWidth(52);
    connect(field, &NumberField::edited, this, [this, index, end](double v, int gesture) {
      auto [from, upTo] = rangeIn(m_parts[index].left);
      (end == 0 ? from : upTo) = v;
      // The other end gives way: a range that ends before it begins holds nothing.
      m_parts[index].left = end == 0 ? rangeOf(from, std::max(from, upTo)) : rangeOf(std::min(from, upTo), upTo);
      change(gesture);
    });
    if (end == 1) to->addWidget(new QLabel(tr("to"), row.holder));
    to->addWidget(field);
    row.fields.push_back(field);
  }
}

void RowsEditor::addName(std::size_t index, QLayout* to, Row& row) {
  auto* name = new QLineEdit(row.holder);
  name->setObjectName(QStringLiteral("%1.%2.name").arg(m_id).arg(index));
  name->setAccessibleName(tr("Text of the point, with * and ?"));
  name->setMaximumWidth(130);
  connect(name, &QLineEdit::editingFinished, this, [this, index, name] {
    if (!name->isModified() || name->text().trimmed().isEmpty()) return;
    name->setModified(false);
    m_parts[index].left = name->text().trimmed().replace(QLatin1Char(':'), QLatin1Char('?'));
    change(++g_rowGesture);
  });
  to->addWidget(name);
  to->addWidget(new QLabel(QStringLiteral("→"), row.holder));
  row.fields.push_back(name);
}

/// A prop of the plan by its picture, or a pattern that is typed.
void RowsEditor::addProp(std::size_t index, QLayout* to, Row& row) {
  auto* box = new QComboBox(row.holder);
  box->setEditable(true);
  box->setInsertPolicy(QComboBox::NoInsert);
  box->setIconSize(QSize(kPictureOfProp, kPictureOfProp));
  box->setObjectName(QStringLiteral("%1.%2.prop").arg(m_id).arg(index));
  box->setAccessibleName(tr("Prop, or several by * and ?"));
  box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  box->setMinimumWidth(90);
  for (const Choice& choice : m_props) box->addItem(choice.icon, choice.name);
  const auto take = [this, index, box] {
    // A semicolon would end the rule; any character stands for it.
    const QString words = box->currentText().trimmed().replace(QLatin1Char(';'), QLatin1Char('?'));
    if (words.isEmpty() || words == m_parts[index].right) return;
    m_parts[index].right = words;
    change(++g_rowGesture);
  };
  connect(box, &QComboBox::activated, this, take);
  connect(box->lineEdit(), &QLineEdit::editingFinished, this, take);
  static_cast<QHBoxLayout*>(to)->addWidget(box, 1);
  row.fields.push_back(box);
}

void RowsEditor::addColor(std::size_t index, QLayout* to, Row& row) {
  auto* swatch = new QToolButton(row.holder);
  swatch->setObjectName(QStringLiteral("%1.%2.color").arg(m_id).arg(index));
  swatch->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  swatch->setProperty("role", QStringLiteral("pill"));
  swatch->setIconSize(QSize(18, 18));
  swatch->setToolTip(tr("Choose a color; those of late are among the custom ones"));
  connect(swatch, &QToolButton::clicked, this, [this, index] { pickColor(index); });
  to->addWidget(swatch);
  row.fields.push_back(swatch);
  if (m_form != TextForm::Palette) return;
  ParamSpec weight;
  weight.hard(0, 1e9).usual(0, 10, 0.1);
  auto* field = new NumberField(weight, row.holder);
  field->setObjectName(QStringLiteral("%1.%2.weight").arg(m_id).arg(index));
  field->setAccessibleName(tr("Weight of color %1").arg(index + 1));
  field->setToolTip(tr("Weight: 2 comes up twice as often as 1"));
  field->setFixedWidth(60);
  connect(field, &NumberField::edited, this, [this, index](double v, int gesture) {
    m_parts[index].right = QString::number(v, 'g', 6);
    change(gesture);
  });
  to->addWidget(field);
  row.fields.push_back(field);
}

void RowsEditor::fillRow(std::size_t index) {
  const TextPart& part = m_parts[index];
  const Row& row = m_rows[index];
  if (m_form == TextForm::RangeRules) {
    const auto [from, to] = rangeIn(part.left);
    static_cast<NumberField*>(row.fields[0])->showValue(from);
    static_cast<NumberField*>(row.fields[1])->showValue(to);
  }
  if (m_form == TextForm::NameRules)
    if (auto* name = static_cast<QLineEdit*>(row.fields[0]); !name->isModified()) name->setText(part.left);
  if (hasProps()) {
    auto* box = static_cast<QComboBox*>(row.fields.back());
    const int at = box->findText(part.right, Qt::MatchFixedString);
    box->setCurrentIndex(at);
    if (at < 0) box->setEditText(part.right);
    if (!box->lineEdit()->hasFocus()) box->lineEdit()->setCursorPosition(0);  // a long name shows how it begins
    return;
  }
  auto* swatch = static_cast<QToolButton*>(row.fields[0]);
  swatch->setIcon(swatchOf(QColor(part.left)));
  swatch->setText(part.left);
  swatch->setAccessibleName(tr("Color %1, %2").arg(index + 1).arg(part.left));
  if (m_form == TextForm::Palette)
    static_cast<NumberField*>(row.fields[1])->showValue(part.right.isEmpty() ? 1 : part.right.toDouble());
}

void RowsEditor::updatePictures() {
  for (std::size_t i = 0; i < m_props.size(); ++i) {
    if (!m_props[i].icon.isNull()) continue;
    m_props[i].icon = iconOf(m_props[i].uid);
    if (m_props[i].icon.isNull()) continue;
    for (const Row& row : m_rows) {
      auto* box = static_cast<QComboBox*>(row.fields.back());
      box->setItemIcon(static_cast<int>(i), m_props[i].icon);
      if (!box->lineEdit()->hasFocus()) box->lineEdit()->setCursorPosition(0);
    }
  }
}

QIcon RowsEditor::iconOf(const std::string& uid) const {
  const QPixmap picture = m_pictures ? m_pictures(uid) : QPixmap();
  if (picture.isNull()) return {};
  return picture.scaled(2 * kPictureOfProp, 2 * kPictureOfProp, Qt::KeepAspectRatio, Qt::SmoothTransformation);
}

void RowsEditor::add() {
  if (m_form == TextForm::RangeRules) {
    const double from = m_parts.empty() ? 0 : rangeIn(m_parts.back().left).second;
    m_parts.push_back({rangeOf(std::min(from, 1.0), 1), m_props.empty() ? QStringLiteral("*") : m_props[0].name});
  } else if (m_form == TextForm::NameRules) {
    m_parts.push_back({QStringLiteral("*"), m_props.empty() ? QStringLiteral("*") : m_props[0].name});
  } else {
    m_parts.push_back({m_parts.empty() ? QStringLiteral("#8f9a6b") : m_parts.back().left, QString()});
  }
  rebuild();
  change(++g_rowGesture);
}

void RowsEditor::pickColor(std::size_t index) {
  const QStringList recent = Settings().recentColors();
  for (int i = 0; i < std::min<int>(static_cast<int>(recent.size()), QColorDialog::customCount()); ++i)
    QColorDialog::setCustomColor(i, QColor(recent[i]));
  auto* dialog = new QColorDialog(QColor(m_parts[index].left), this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setObjectName(QStringLiteral("color_dialog"));
  dialog->setOption(QColorDialog::DontUseNativeDialog);  // one that has room for colors of late
  connect(dialog, &QColorDialog::colorSelected, this, [this, index](const QColor& color) {
    if (index >= m_parts.size()) return;  // taken away meanwhile
    Settings().addRecentColor(color.name());
    m_parts[index].left = color.name();
    change(++g_rowGesture);
  });
  dialog->open();
}

void RowsEditor::change(int gesture) {
  for (std::size_t i = 0; i < m_rows.size(); ++i) fillRow(i);
  tellUnmet();
  const QString words = joined(m_parts, m_form);
  m_line->setText(words);
  m_line->setModified(false);
  Q_EMIT edited(words.toStdString(), gesture);
}

}  // namespace arvesk
