// The outputs of the plan on the Bench: how many each gives, and what share of all; points that reach none.
#pragma once

#include "app/model/evaluation_service.h"

#include <QWidget>

#include <vector>

namespace arvesk {

/// Painted, as its height is asked for at each width that its pane tries: a table of rich text with 30 rows took a
/// tenth of a second for that.
class SummaryView : public QWidget {
  Q_OBJECT

 public:
  explicit SummaryView(QWidget* parent = nullptr);
  void show(const EvalViewPtr& view);
  int heightForWidth(int width) const override;
  QSize sizeHint() const override { return {300, heightForWidth(300)}; }

 protected:
  void paintEvent(QPaintEvent* event) override;
  void changeEvent(QEvent* event) override;

 private:
  struct Row {
    QString name = {};
    QString count = {};
    QString share = {};
    QString words = {};  // why it gives nothing; below the name
    bool isHeading = false;
    bool isSaid = false;  // what it gives is not a number of points
    bool operator==(const Row&) const = default;
  };
  static std::vector<Row> rowsOf(const EvalView& view);
  void measure();
  /// px of what a row says below its name, at this width of the view.
  int wordsHeight(const Row& row, int width) const;
  int lineHeight(const Row& row) const;
  QFont heading() const;

  std::vector<Row> m_rows;
  int m_names = 0;    // px, of the widest
  int m_numbers = 0;  // counts and shares
  int m_shares = 0;
};

}  // namespace arvesk
