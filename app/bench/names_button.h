// A button beside a text that names things: what there is, each with how many, ticked where the text means it.
#pragma once

#include "core/plan/node_kind.h"

#include <QToolButton>

namespace arvesk {

class NamesButton : public QToolButton {
  Q_OBJECT

 public:
  explicit NamesButton(QWidget* parent);
  /// Where all counts are 0 the text is one name, else a pattern of several.
  void offer(std::vector<NameCount> names, const QString& words);
  /// The text has changed.
  void follow(const QString& words) { m_words = words; }

 Q_SIGNALS:
  /// The text with a name put in or taken out.
  void chosen(const QString& words);

 private:
  void fill();

  std::vector<NameCount> m_names;
  QString m_words;
};

}  // namespace arvesk
