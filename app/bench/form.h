// Rows of names and controls that fit any width: two side by side, one below the other, or names above their controls.
#pragma once

#include <QWidget>

#include <string>
#include <vector>

class QGridLayout;
class QLabel;

namespace arvesk {

class Form : public QWidget {
  Q_OBJECT

 public:
  explicit Form(QWidget* parent = nullptr);
  /// Adds a row; a wide control takes a whole one. `help` opens under "?" beside the name. Returns the row.
  int add(const QString& label, const QString& help, QWidget* editor, bool isWide);
  /// A row of its own across both halves, without a name. Returns the row.
  int addHeading(QWidget* heading);
  void setShown(int row, bool isShown);
  /// A bead beside the name: what moves; `isFull` where it has a key now.
  void showMark(int row, const std::string& id, bool isOn, bool isFull);
  QWidget* name(int row) const { return m_rows[static_cast<std::size_t>(row)].name; }
  QWidget* editor(int row) const { return m_rows[static_cast<std::size_t>(row)].editor; }
  /// Places all rows for a pane this wide, px.
  void placeFor(int width);
  /// Below this something would be cut, px.
  int leastWidth() const;

 private:
  struct Row {
    QWidget* name;
    QWidget* editor;
    bool isWide;
    bool isShown;
    bool isHeading = false;
    QLabel* mark = nullptr;
  };
  bool event(QEvent* event) override;
  enum class Shape { Pairs, Rows, NamesAbove };
  Shape shapeFor(int width) const;
  bool fitsBeside(const Row& row, int names) const;

  std::vector<Row> m_rows;
  QGridLayout* m_grid;
  int m_width = 0;
  Shape m_shape = Shape::Pairs;
  bool m_isStale = true;
};

}  // namespace arvesk
