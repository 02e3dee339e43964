// Kit: the props of the plan, with picture, size, footprint and triangles. Files are added by a dialog or dropped on it.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/plan_model.h"

#include <QWidget>

class QListWidget;
class QLabel;
class QCheckBox;

namespace arvesk {

class NumberField;

class KitView : public QWidget {
  Q_OBJECT

 public:
  KitView(PlanModel* model, EvaluationService* service, QWidget* parent = nullptr);
  void setFolder(const QString& folder) { m_folder = folder; }
  void showResults(const EvalViewPtr& view);
  void addFiles();
  void addFiles(const QStringList& paths);
  void removeSelected();

 protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  void rebuild();
  void showSelected();
  const PropEntry* selected() const;
  void edit(const QString& text, const std::function<void(PropEntry&)>& change, const QString& key = {});

  PlanModel* m_model;
  EvaluationService* m_service;
  QString m_folder;
  QListWidget* m_list;
  QLabel* m_facts;
  QWidget* m_controls;
  NumberField* m_unit;
  QCheckBox* m_zUp;
  QCheckBox* m_base;
  EvalViewPtr m_view;
};

}  // namespace arvesk
