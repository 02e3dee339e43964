// One of several words: up to four stand side by side as buttons, more open as a list.
#pragma once

#include <QStringList>
#include <QWidget>

class QComboBox;
class QToolButton;

namespace arvesk {

class ChoiceBox : public QWidget {
  Q_OBJECT

 public:
  /// `ids` are what the words stand for.
  ChoiceBox(QStringList ids, const QStringList& words, QWidget* parent = nullptr);
  int count() const { return static_cast<int>(m_ids.size()); }
  int currentIndex() const { return m_index; }
  QString currentId() const { return m_ids.value(m_index); }
  QString currentText() const { return m_words.value(m_index); }
  /// Shows it; -1 shows none.
  void setCurrentIndex(int index);
  void showId(const QString& id) { setCurrentIndex(static_cast<int>(m_ids.indexOf(id))); }
  /// Of the words with what is around them, in px.
  int wordsWidth() const;
  bool isRow() const { return !m_buttons.empty(); }
  /// Of a row, for whoever clicks it.
  QToolButton* button(const QString& id) const;

 Q_SIGNALS:
  void activated(int index);  // by the user

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void paintEvent(QPaintEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  QStringList m_ids;
  QStringList m_words;
  int m_index = -1;
  std::vector<QToolButton*> m_buttons;
  QComboBox* m_combo = nullptr;
};

}  // namespace arvesk
