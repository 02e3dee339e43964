// Texts that are made of parts, as rows: rules that give props by pictures, palettes by their colors. The text itself
// is one click away.
#pragma once

#include "app/bench/param_editors.h"

#include <QIcon>
#include <QLabel>

class QComboBox;
class QLineEdit;
class QToolButton;
class QVBoxLayout;

namespace arvesk {

/// A part of such a text: "left: right".
struct TextPart {
  QString left;
  QString right;
  bool operator==(const TextPart&) const = default;
};
/// Parts are separated by ";"; a part without ":" has only its left side.
std::vector<TextPart> partsOf(const QString& words);
QString joined(const std::vector<TextPart>& parts, TextForm form);
/// "0.2 to 0.7" or "0.2-0.7", and back.
std::pair<double, double> rangeIn(const QString& left);
QString rangeOf(double from, double to);

class RowsEditor : public ParamEditor {
  Q_OBJECT

 public:
  RowsEditor(const ParamSpec& spec, const Plan& plan, PropPictures pictures, QWidget* parent);
  bool isWide() const override { return true; }
  /// Of rules by name: texts that the points carry. Those that no row means are told, with a row for each at a click.
  void offer(const std::vector<NameCount>& names) override;
  void show(const ParamValue& value) override;
  /// More props have pictures now.
  void updatePictures();

 private:
  struct Row {
    QWidget* holder;
    std::vector<QWidget*> fields;
  };
  QIcon iconOf(const std::string& uid) const;
  bool hasProps() const { return m_form == TextForm::RangeRules || m_form == TextForm::NameRules; }
  void addRow(std::size_t index);
  void addRange(std::size_t index, QLayout* to, Row& row);
  void addName(std::size_t index, QLayout* to, Row& row);
  void addProp(std::size_t index, QLayout* to, Row& row);
  void addColor(std::size_t index, QLayout* to, Row& row);
  void fillRow(std::size_t index);
  void rebuild();
  void add();
  void pickColor(std::size_t index);
  void change(int gesture);
  void judge();
  void tellUnmet();
  void showText(bool isText);

  QString m_id;
  TextForm m_form;
  std::function<std::string(const std::string&)> m_check;
  struct Choice {
    std::string uid;
    QString name;
    QIcon icon;  // shared by all rows
  };
  std::vector<Choice> m_props;
  PropPictures m_pictures;
  std::vector<TextPart> m_parts;
  std::vector<Row> m_rows;
  QVBoxLayout* m_list;
  QLineEdit* m_line;
  QLabel* m_fault;
  QLabel* m_unmet;
  std::vector<NameCount> m_names;
  QToolButton* m_add;
  QToolButton* m_addUnmet;
  QToolButton* m_asText;
};

}  // namespace arvesk
