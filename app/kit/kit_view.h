// Kit: the props of the plan as a library: pictures, search, tags, files and folders added and replaced, and settings
// for what is selected.
#pragma once

#include "app/kit/kit_settings.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QListWidget;

namespace arvesk {

class KitView : public QWidget {
  Q_OBJECT

 public:
  KitView(PlanModel* model, EvaluationService* service, QWidget* parent = nullptr);
  void setFolder(const QString& folder);
  void showResults(const EvalViewPtr& view);
  void addFiles();
  void addFolder();
  /// Files and folders; of folders all mesh files below them.
  void addFiles(const QStringList& paths);
  void removeSelected();
  /// Another file for a prop; the settings stay. When others are missing and stand beside it, those are found as well.
  void replaceFile(const std::string& uid, const QString& path);
  QString searchText() const;

 Q_SIGNALS:
  /// Files that could not be read are to be read again.
  void tryAgainWanted();

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void rebuild();
  void select(const std::vector<std::string>& uids);
  void showSelected();
  std::vector<std::string> selectedUids() const;
  bool isFound(const PropEntry& prop) const;
  void askForReplacement();
  void openMounts();

  PlanModel* m_model;
  EvaluationService* m_service;
  QString m_folder;
  QLineEdit* m_search;
  QLabel* m_count;
  QListWidget* m_list;
  KitSettings* m_settings;
  EvalViewPtr m_view;
};

}  // namespace arvesk
