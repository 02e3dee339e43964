#include "app/bench/param_editors.h"

#include "app/bench/choice_box.h"
#include "app/bench/names_button.h"
#include "app/bench/number_field.h"
#include "app/bench/rows_editor.h"
#include "app/model/words.h"
#include "app/window/theme.h"

#include <QAction>
#include <QCheckBox>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QToolButton>
#include <QVBoxLayout>

namespace arvesk {
namespace {

int g_editorGesture = 2'000'000;

class NumberEditor : public ParamEditor {
 public:
  NumberEditor(const ParamSpec& spec, QWidget* parent) : ParamEditor(parent), m_field(new NumberField(spec, this)) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(m_field);
    m_field->setObjectName(text(spec.id));
    m_field->setAccessibleName(said(spec.label));
    setFocusProxy(m_field);
    m_field->setCanFollow(true);
    connect(m_field, &NumberField::edited, this, [this](double v, int gesture) { Q_EMIT edited(v, gesture); });
    connect(m_field, &NumberField::followed, this, &ParamEditor::followed);
  }
  void show(const ParamValue& value) override { m_field->showValue(std::get<double>(value)); }
  void showFormula(const QString& formula) override { m_field->showFormula(formula); }
  bool showsFormula() const override { return true; }

 private:
  NumberField* m_field;
};

/// Vectors, ranges and bands: some numbers in a row, each with a word for what it is.
class NumbersEditor : public ParamEditor {
 public:
  NumbersEditor(const ParamSpec& spec, QWidget* parent)
      : ParamEditor(parent),
        m_isBand(spec.type == ParamType::Band),
        m_isWide(m_isBand || spec.type == ParamType::Vector) {
    const QStringList names = spec.type == ParamType::Vector ? QStringList{tr("X"), tr("Y"), tr("Z")}
                              : spec.type == ParamType::Range
                                  ? QStringList{tr("from"), tr("to")}
                                  : QStringList{tr("fade in from"), tr("full from"), tr("full to"), tr("fade out to")};
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(2);
    ParamSpec one = spec;
    one.type = ParamType::Number;
    for (int i = 0; i < names.size(); ++i) {
      auto* field = new NumberField(one, this);
      field->setObjectName(QStringLiteral("%1.%2").arg(text(spec.id)).arg(i));
      field->setAccessibleName(QStringLiteral("%1 %2").arg(said(spec.label), names[i]));
      field->setToolTip(names[i]);
      if (m_isBand) {
        auto* label = new QLabel(names[i], this);
        label->setProperty("role", QStringLiteral("quiet"));
        label->setBuddy(field);
        grid->addWidget(label, i / 2, (i % 2) * 2);
        grid->addWidget(field, i / 2, (i % 2) * 2 + 1);
      } else {
        grid->addWidget(field, 0, i);
      }
      m_fields.push_back(field);
      field->setCanFollow(true);
      connect(field, &NumberField::followed, this,
              [this, i](const QString& formula) { Q_EMIT partFollowed(i, formula); });
      connect(field, &NumberField::edited, this,
              [this, i](double v, int gesture) { change(static_cast<std::size_t>(i), v, gesture); });
    }
    setFocusProxy(m_fields.front());
    if (spec.type == ParamType::Range) {  // one value first; the second opens on demand
      m_open = new QToolButton(this);
      m_open->setText(tr("To…"));
      m_open->setObjectName(text(spec.id) + QStringLiteral(".open"));
      m_open->setAccessibleName(tr("%1: two values").arg(said(spec.label)));
      m_open->setToolTip(tr("Draws between two values"));
      grid->addWidget(m_open, 0, 1, Qt::AlignLeft);
      m_fields[1]->hide();
      connect(m_open, &QToolButton::clicked, this, [this] {
        openRange(true);
        m_fields[1]->setFocus();
      });
    }
    if (m_isBand) {
      m_symmetric = new QToolButton(this);
      m_symmetric->setText(tr("Symmetric"));
      m_symmetric->setObjectName(text(spec.id) + QStringLiteral(".symmetric"));
      m_symmetric->setToolTip(tr("Makes both soft edges equally wide, and keeps them so"));
      m_symmetric->setCheckable(true);
      grid->addWidget(m_symmetric, 2, 0, 1, 4, Qt::AlignLeft);
      connect(m_symmetric, &QToolButton::toggled, this, [this](bool isOn) {
        if (isOn) change(3, m_values[2] + (m_values[1] - m_values[0]), ++g_editorGesture);
      });
    }
  }
  bool isWide() const override { return m_isWide; }
  void show(const ParamValue& value) override {
    m_values = std::get<std::vector<double>>(value);
    for (std::size_t i = 0; i < m_fields.size(); ++i) m_fields[i]->showValue(m_values[i]);
    if (m_open && m_values[0] != m_values[1]) openRange(true);
  }
  bool showsFormula() const override { return true; }
  void showPartFormula(std::size_t part, const QString& formula) override {
    if (part < m_fields.size()) m_fields[part]->showFormula(formula);
  }

 private:
  void openRange(bool isOpen) {
    m_open->setVisible(!isOpen);
    m_fields[1]->setVisible(isOpen);
  }

  void change(std::size_t at, double v, int gesture) {
    m_values[at] = v;
    if (m_open && m_fields[1]->isHidden()) m_values[1] = v;
    if (m_isBand) {  // the four numbers stay in order: one pushes the others
      for (std::size_t i = at; i-- > 0;) m_values[i] = std::min(m_values[i], v);
      for (std::size_t i = at + 1; i < m_values.size(); ++i) m_values[i] = std::max(m_values[i], v);
      if (m_symmetric->isChecked()) {
        if (at <= 1)
          m_values[3] = m_values[2] + (m_values[1] - m_values[0]);
        else
          m_values[0] = m_values[1] - (m_values[3] - m_values[2]);
      }
    }
    Q_EMIT edited(m_values, gesture);
  }

  bool m_isBand;
  bool m_isWide;  // three numbers side by side need the room of two columns
  std::vector<NumberField*> m_fields;
  std::vector<double> m_values;
  QToolButton* m_symmetric = nullptr;
  QToolButton* m_open = nullptr;  // of a range that is one value
};

/// A control that takes no typing, with a line for the formula that it follows in its place: "=" or its menu opens it,
/// emptying it lets go.
class FollowingEditor : public ParamEditor {
 public:
  FollowingEditor(const ParamSpec& spec, QWidget* control, const QString& meaning, QWidget* parent)
      : ParamEditor(parent), m_control(control), m_line(new QLineEdit(this)), m_meaning(meaning) {
    control->setParent(this);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(control);
    row->addWidget(m_line);
    m_line->hide();
    m_line->setObjectName(text(spec.id) + QStringLiteral(".formula"));
    m_line->setAccessibleName(tr("%1 follows").arg(said(spec.label)));
    m_line->setPlaceholderText(tr("a dial's name, or a formula"));
    control->setObjectName(text(spec.id));
    control->setAccessibleName(said(spec.label));
    control->setContextMenuPolicy(Qt::ActionsContextMenu);
    auto* open = new QAction(tr("Follow a dial…"), control);
    open->setObjectName(text(spec.id) + QStringLiteral(".follow"));
    control->addAction(open);
    connect(open, &QAction::triggered, this, &FollowingEditor::openLine);
    control->installEventFilter(this);
    setFocusProxy(control);
    connect(m_line, &QLineEdit::editingFinished, this, [this] {
      QString words = m_line->text().trimmed();
      if (words.startsWith(QLatin1Char('='))) words = words.mid(1).trimmed();
      if (m_line->isModified() && words != m_formula) Q_EMIT followed(words);
      m_line->setModified(false);
      if (words.isEmpty()) showFormula({});
    });
  }
  bool showsFormula() const override { return true; }
  void showFormula(const QString& formula) override {
    m_formula = formula;
    const bool isFollowing = !formula.isEmpty();
    if (!isFollowing && m_line->hasFocus() && m_line->isModified()) return;  // is being typed
    m_line->setText(formula);
    m_line->setToolTip(tr("%1. Empty it to let go.").arg(m_meaning));
    m_line->setVisible(isFollowing);
    m_control->setVisible(!isFollowing);
    setFocusProxy(isFollowing ? m_line : m_control);
  }

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override {
    if (event->type() != QEvent::KeyPress || static_cast<QKeyEvent*>(event)->text() != QStringLiteral("="))
      return ParamEditor::eventFilter(watched, event);
    openLine();
    return true;
  }

 private:
  void openLine() {
    m_control->hide();
    m_line->show();
    m_line->setFocus();
    m_line->setModified(true);  // leaving it empty closes it again
  }

  QWidget* m_control;
  QLineEdit* m_line;
  QString m_meaning;
  QString m_formula;
};

class ToggleEditor : public FollowingEditor {
 public:
  ToggleEditor(const ParamSpec& spec, QWidget* parent) : ToggleEditor(spec, new QCheckBox(tr("On")), parent) {}
  void show(const ParamValue& value) override { m_box->setChecked(std::get<bool>(value)); }

 private:
  ToggleEditor(const ParamSpec& spec, QCheckBox* box, QWidget* parent)
      : FollowingEditor(spec, box, tr("0 is off, anything else is on"), parent), m_box(box) {
    connect(m_box, &QCheckBox::clicked, this, [this](bool isOn) { Q_EMIT edited(isOn, ++g_editorGesture); });
  }
  QCheckBox* m_box;
};

class ChoiceEditor : public FollowingEditor {
 public:
  ChoiceEditor(const ParamSpec& spec, QWidget* parent)
      : ChoiceEditor(spec, new ChoiceBox(idsOf(spec), wordsOf(spec)), parent) {}
  void show(const ParamValue& value) override { m_box->showId(text(std::get<std::string>(value))); }
  /// Words that would be cut off beside another control get a line of their own.
  bool isWide() const override {
    constexpr int kRoomBesideAnother = 110;  // px, in a window of 1280
    return m_box->isRow() ? m_box->wordsWidth() > kRoomBesideAnother : true;
  }

 private:
  ChoiceEditor(const ParamSpec& spec, ChoiceBox* box, QWidget* parent)
      : FollowingEditor(spec, box, meaningOf(spec), parent), m_box(box) {
    connect(m_box, &ChoiceBox::activated, this,
            [this] { Q_EMIT edited(m_box->currentId().toStdString(), ++g_editorGesture); });
    if (m_box->isRow()) static_cast<QHBoxLayout*>(layout())->addStretch(1);
  }
  static QStringList idsOf(const ParamSpec& spec) {
    QStringList out;
    for (const Option& o : spec.options) out << text(o.id);
    return out;
  }
  static QStringList wordsOf(const ParamSpec& spec) {
    QStringList out;
    for (const Option& o : spec.options) out << said(o.label);
    return out;
  }
  /// "1 is Even, 2 is Free".
  static QString meaningOf(const ParamSpec& spec) {
    QStringList words;
    for (const QString& word : wordsOf(spec)) words << tr("%1 is %2").arg(words.size() + 1).arg(word);
    return words.join(QStringLiteral(", "));
  }
  ChoiceBox* m_box;
};

class TextEditor : public ParamEditor {
 public:
  TextEditor(const ParamSpec& spec, QWidget* parent)
      : ParamEditor(parent),
        m_check(spec.check),
        m_line(new QLineEdit(this)),
        m_names(new NamesButton(this)),
        m_fault(new QLabel(this)) {
    connect(m_names, &NamesButton::chosen, this,
            [this](const QString& words) { Q_EMIT edited(words.toStdString(), ++g_editorGesture); });
    auto* row = new QVBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(2);
    auto* line = new QHBoxLayout;
    line->setSpacing(2);
    line->addWidget(m_line, 1);
    line->addWidget(m_names);
    row->addLayout(line);
    row->addWidget(m_fault);
    m_names->setObjectName(text(spec.id) + QStringLiteral(".names"));
    m_names->setAccessibleName(NamesButton::tr("Names to choose among for %1").arg(said(spec.label)));
    m_names->hide();
    m_fault->setObjectName(text(spec.id) + QStringLiteral(".fault"));
    m_fault->setWordWrap(true);
    m_fault->hide();
    if (m_check) connect(m_line, &QLineEdit::textChanged, this, [this] { judge(); });
    m_line->setObjectName(text(spec.id));
    m_line->setAccessibleName(said(spec.label));
    setFocusProxy(m_line);
    connect(m_line, &QLineEdit::editingFinished, this, [this] {
      if (m_line->isModified()) Q_EMIT edited(m_line->text().toStdString(), ++g_editorGesture);
      m_line->setModified(false);
    });
  }
  bool isWide() const override { return static_cast<bool>(m_check); }
  void offer(const std::vector<NameCount>& names) override {
    m_names->offer(names, m_line->text());
    m_names->setVisible(!names.empty());
  }
  void show(const ParamValue& value) override {
    m_names->follow(text(std::get<std::string>(value)));
    if (m_line->isModified()) return;
    m_line->setText(text(std::get<std::string>(value)));
    if (!m_line->hasFocus()) m_line->setCursorPosition(0);  // a long text shows how it begins
  }

 private:
  void judge() {
    const std::string fault = m_check(m_line->text().toStdString());
    m_fault->setText(said(fault));
    m_fault->setStyleSheet(QStringLiteral("color: %1").arg(Theme::current().trouble.name()));
    m_fault->setVisible(!fault.empty());
  }
  std::function<std::string(const std::string&)> m_check;
  QLineEdit* m_line;
  NamesButton* m_names;
  QLabel* m_fault;
};

/// What is made in another view: how much there is, and a way to take it all back.
class ListEditor : public ParamEditor {
 public:
  ListEditor(const ParamSpec& spec, QWidget* parent)
      : ParamEditor(parent), m_type(spec.type), m_label(new QLabel(this)), m_clear(new QToolButton(this)) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(m_label, 1);
    if (m_type != ParamType::Curve) row->addWidget(m_clear);
    m_label->setWordWrap(true);
    m_label->setObjectName(text(spec.id));
    m_clear->setText(tr("Clear"));
    m_clear->setObjectName(text(spec.id) + QStringLiteral(".clear"));
    m_clear->setVisible(m_type != ParamType::Curve);
    connect(m_clear, &QToolButton::clicked, this, [this] {
      if (m_type == ParamType::Points)
        Q_EMIT edited(HandPoints(), ++g_editorGesture);
      else if (m_type == ParamType::Touches)
        Q_EMIT edited(TouchUps(), ++g_editorGesture);
      else
        Q_EMIT edited(std::vector<double>(), ++g_editorGesture);
    });
  }
  bool isWide() const override { return true; }
  void show(const ParamValue& value) override {
    if (const auto* points = std::get_if<HandPoints>(&value)) {
      const auto count = static_cast<int>(points->list.size());
      m_label->setText(count == 0 ? tr("Place them in Site with the left button.")
                                  : tr("%1 points").arg(QLocale().toString(count)));
      m_clear->setEnabled(count > 0);
      return;
    }
    if (const auto* touches = std::get_if<TouchUps>(&value)) {
      const auto count = static_cast<int>(touches->list.size());
      m_label->setText(count == 0 ? tr("Select placements in Site; handles, keys and menu change them.")
                                  : tr("%1 touched").arg(QLocale().toString(count)));
      m_clear->setEnabled(count > 0);
      return;
    }
    const std::size_t numbers = std::get<std::vector<double>>(value).size();
    const auto count = static_cast<int>(numbers / (m_type == ParamType::Curve     ? 2
                                                   : m_type == ParamType::Strokes ? kNumbersPerDab
                                                                                  : kNumbersPerFace));
    m_label->setText(m_type == ParamType::Curve ? tr("%1 points, on the chart").arg(count)
                     : m_type == ParamType::Strokes
                         ? (count == 0 ? tr("Paint in Site with the left button; Ctrl takes away.")
                                       : tr("%1 dabs").arg(QLocale().toString(count)))
                         : (count == 0 ? tr("Click faces in Site; Ctrl takes away.")
                                       : tr("%1 faces").arg(QLocale().toString(count))));
    m_clear->setEnabled(count > 0);
  }

 private:
  ParamType m_type;
  QLabel* m_label;
  QToolButton* m_clear;
};

class FileEditor : public ParamEditor {
 public:
  FileEditor(const ParamSpec& spec, const QString& folder, QWidget* parent)
      : ParamEditor(parent), m_line(new QLineEdit(this)), m_folder(folder) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(2);
    row->addWidget(m_line);
    auto* open = new QToolButton(this);
    open->setText(tr("Open…"));
    open->setAccessibleName(tr("Choose a file for %1").arg(said(spec.label)));
    row->addWidget(open);
    m_line->setObjectName(text(spec.id));
    m_line->setAccessibleName(said(spec.label));
    setFocusProxy(m_line);
    const QString filter = spec.fileKind == "image"
                               ? tr("Images (*.png *.tif *.tiff *.exr *.jpg *.jpeg);;All files (*)")
                           : spec.fileKind == "points" ? tr("Points (*.csv *.tsv *.txt *.ply);;All files (*)")
                           : spec.fileKind == "volume"
                               ? tr("Volumes (*.vdb);;All files (*)")
                               : tr("Meshes (*.glb *.gltf *.obj *.ply *.stl *.dae *.fbx *.3ds);;All files (*)");
    connect(m_line, &QLineEdit::editingFinished, this, [this] {
      if (m_line->isModified()) Q_EMIT edited(m_line->text().toStdString(), ++g_editorGesture);
      m_line->setModified(false);
    });
    connect(open, &QToolButton::clicked, this, [this, filter] {
      const QString path = QFileDialog::getOpenFileName(window(), tr("Choose a file"), m_folder, filter);
      if (path.isEmpty()) return;
      const QString relative = m_folder.isEmpty() ? path : QDir(m_folder).relativeFilePath(path);
      Q_EMIT edited(relative.toStdString(), ++g_editorGesture);
    });
  }
  bool isWide() const override { return true; }
  void show(const ParamValue& value) override {
    if (!m_line->isModified()) m_line->setText(text(std::get<std::string>(value)));
  }

 private:
  QLineEdit* m_line;
  QString m_folder;
};

/// A check box whose words end in … where they have no room; the whole is in its hint.
class ElidedBox : public QCheckBox {
 public:
  ElidedBox(QString words, QWidget* parent) : QCheckBox(parent), m_words(std::move(words)) {
    setToolTip(m_words);
    setAccessibleName(m_words);
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  }

 protected:
  void resizeEvent(QResizeEvent* event) override {
    QCheckBox::resizeEvent(event);
    const int mark = style()->pixelMetric(QStyle::PM_IndicatorWidth, nullptr, this) +
                     style()->pixelMetric(QStyle::PM_CheckBoxLabelSpacing, nullptr, this) + 2;
    setText(fontMetrics().elidedText(m_words, Qt::ElideRight, width() - mark));
  }

 private:
  QString m_words;
};

/// The plan's props, each with a box and a weight.
class PropsEditor : public ParamEditor {
 public:
  PropsEditor(const ParamSpec& spec, const Plan& plan, QWidget* parent) : ParamEditor(parent) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(5);
    grid->setVerticalSpacing(2);
    grid->setColumnStretch(0, 1);
    grid->setColumnStretch(2, 1);
    ParamSpec weight;
    weight.hard(0, 1000).usual(0, 10, 0.1);
    int row = 0;
    for (const PropEntry& prop : plan.props) {
      auto* box = new ElidedBox(text(prop.name), this);  // long names give way, so that both weights stay in sight
      box->setObjectName(QStringLiteral("%1.%2").arg(text(spec.id), text(prop.uid)));
      auto* field = new NumberField(weight, this);
      field->setAccessibleName(tr("Weight of %1").arg(text(prop.name)));
      field->setToolTip(tr("Weight: 2 comes up twice as often as 1"));
      field->setMinimumWidth(34);
      field->setMaximumWidth(37);
      grid->addWidget(box, row / 2, (row % 2) * 2);
      grid->addWidget(field, row / 2, (row % 2) * 2 + 1);
      ++row;
      m_rows.push_back({prop.uid, box, field});
      connect(box, &QCheckBox::clicked, this, [this, uid = prop.uid](bool isOn) {
        entry(uid).isOn = isOn;
        Q_EMIT edited(m_choices, ++g_editorGesture);
      });
      connect(field, &NumberField::edited, this, [this, uid = prop.uid](double v, int gesture) {
        entry(uid).weight = v;
        Q_EMIT edited(m_choices, gesture);
      });
    }
    if (m_rows.empty())
      grid->addWidget(new QLabel(tr("The Kit is empty: add prop files there, or drop them on it."), this), 0, 0);
  }
  bool isWide() const override { return true; }
  void show(const ParamValue& value) override {
    m_choices = std::get<PropChoices>(value);
    for (const Row& row : m_rows) {
      const auto it = std::find_if(m_choices.begin(), m_choices.end(),
                                   [&](const PropChoice& c) { return c.prop == row.uid; });
      row.box->setChecked(it != m_choices.end() && it->isOn);
      row.weight->showValue(it == m_choices.end() ? 1 : it->weight);
    }
  }

 private:
  struct Row {
    std::string uid;
    QCheckBox* box;
    NumberField* weight;
  };
  PropChoice& entry(const std::string& uid) {
    const auto it = std::find_if(m_choices.begin(), m_choices.end(),
                                 [&](const PropChoice& c) { return c.prop == uid; });
    if (it != m_choices.end()) return *it;
    m_choices.push_back({uid, 1, true});
    return m_choices.back();
  }
  std::vector<Row> m_rows;
  PropChoices m_choices;
};

}  // namespace

ParamEditor* makeEditor(const ParamSpec& spec, const Plan& plan, const PropPictures& pictures, const QString& folder,
                        QWidget* parent) {
  switch (spec.type) {
    case ParamType::Toggle: return new ToggleEditor(spec, parent);
    case ParamType::Number:
    case ParamType::Integer: return new NumberEditor(spec, parent);
    case ParamType::Choice: return new ChoiceEditor(spec, parent);
    case ParamType::Text:
      if (spec.form != TextForm::Line) return new RowsEditor(spec, plan, pictures, parent);
      return new TextEditor(spec, parent);
    case ParamType::File: return new FileEditor(spec, folder, parent);
    case ParamType::Vector:
    case ParamType::Range:
    case ParamType::Band: return new NumbersEditor(spec, parent);
    case ParamType::Curve:
    case ParamType::Strokes:
    case ParamType::Points:
    case ParamType::Touches:
    case ParamType::Faces: return new ListEditor(spec, parent);
    case ParamType::Props: return new PropsEditor(spec, plan, parent);
  }
  return nullptr;
}

}  // namespace arvesk
