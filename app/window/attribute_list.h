// Which attributes of the points are exported: all, none or some, from a list of what the chosen outputs carry.
#pragma once

#include <QWidget>

#include <map>
#include <set>
#include <string>
#include <vector>

class QCheckBox;
class QListWidget;

namespace arvesk {

class AttributeList : public QWidget {
  Q_OBJECT

 public:
  explicit AttributeList(QWidget* parent = nullptr);
  /// Names to choose from; those that were there keep their state, new ones are chosen.
  void setNames(const std::set<std::string>& names);
  /// As patterns: one that takes all, one for each name, or none.
  std::vector<std::string> patterns() const;

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void fit();
  void chooseAll(bool isChosen);
  void showState();

  QCheckBox* m_all;
  QListWidget* m_list;
  std::map<std::string, bool> m_isChosen;  // of all names that ever were on the list
};

}  // namespace arvesk
