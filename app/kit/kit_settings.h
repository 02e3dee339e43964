// The settings of the selected props: how the file is taken, how the prop is chosen, what stands for it, and what is
// odd about it.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/plan_model.h"

#include <QScrollArea>

class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QToolButton;
class QVBoxLayout;

namespace arvesk {

class NumberField;

class KitSettings : public QScrollArea {
  Q_OBJECT

 public:
  KitSettings(PlanModel* model, QWidget* parent = nullptr);
  /// The props that edits go to; values shown are the first one's.
  void show(const std::vector<std::string>& uids, const EvalViewPtr& view);
  void setFolder(const QString& folder) { m_folder = folder; }

 Q_SIGNALS:
  void replaceWanted();
  void tryAgainWanted();
  void mountsWanted();
  /// The prop of this uid was replaced by these, or these came beside it.
  void propsAdded(const std::vector<std::string>& uids);

 private:
  const PropEntry* first() const;
  void edit(const QString& words, const std::function<void(PropEntry&)>& change, const QString& key = {});
  NumberField* number(const char* name, const QString& label, const QString& help, const ParamSpec& spec,
                      double PropEntry::*member);
  void buildShape();
  void buildTurns();
  void buildRest();
  void connectChoices();
  QComboBox* combo(const char* name, const QStringList& words);
  void place(const QString& label, const QString& help, QWidget* editor, bool isWide = false);
  void showWarnings();
  void fillSplitMenu();
  void split(PartBy by, const std::vector<std::string>& names);
  void chooseMassing(int which);
  void chooseDelivery(int which);

  PlanModel* m_model;
  EvalViewPtr m_view;
  std::vector<std::string> m_uids;
  QString m_folder;
  QVBoxLayout* m_column;
  QGridLayout* m_grid;
  int m_cell = 0;
  QLineEdit* m_name;
  QLabel* m_facts;
  QWidget* m_warnings;
  QComboBox* m_upAxis;
  QComboBox* m_pivot;
  QComboBox* m_normals;
  QComboBox* m_massing;
  QCheckBox* m_massingShown;
  QComboBox* m_delivery;
  std::array<NumberField*, 3> m_turn{};
  NumberField* m_massingTriangles;
  QLineEdit* m_tags;
  QToolButton* m_mounts;
  QToolButton* m_replace;
  QToolButton* m_split;
  std::vector<std::pair<NumberField*, double PropEntry::*>> m_numbers;
};

}  // namespace arvesk
