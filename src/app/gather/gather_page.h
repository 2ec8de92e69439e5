#pragma once
// Gather: what was brought in, how big it is, and what is wrong with it.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QAbstractTableModel>
#include <QTreeView>
#include <functional>

namespace thicket::app {

/// The findings of the selected subject, serious ones first; beside each there is room for its mend.
class FindingModel : public QAbstractTableModel {
    Q_OBJECT
public:
    explicit FindingModel(Workbench& bench, QObject* parent = nullptr);
    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] const Finding* finding(const QModelIndex& index) const;

private:
    Workbench& m_bench;
    std::vector<Finding> m_findings;
};

/// Below the viewport: the check list, with a mend for what can be set right.
class FindingsView : public QWidget {
    Q_OBJECT
public:
    explicit FindingsView(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] QTreeView* list() const { return m_list; }
    /// Nothing is marked in the picture any more.
    void unmark();
    /// Those that a mend from the menu is made to, where there are several.
    std::function<std::vector<std::uint32_t>()> chosen;

signals:
    /// A finding about the mesh as a whole is to be looked at.
    void wholeRequested();

private:
    void refresh();
    void sayWhere();
    void offerMends();
    void fillMenu();
    [[nodiscard]] QPushButton* mendButton(const Subject& subject, const Finding& finding);
    /// The chosen meshes; the selected one where it is not among them.
    [[nodiscard]] std::vector<std::uint32_t> mendedIds() const;
    void mend(MendKind kind, double value = 0);
    void mendAll(MendKind kind, double value = 0);
    Workbench& m_bench;
    FindingModel* m_model;
    QTreeView* m_list;
    QLabel* m_summary;
    QPushButton* m_more;
};

/// On the right: the subject's facts.
class GatherPanel : public Panel {
    Q_OBJECT
public:
    explicit GatherPanel(Workbench& bench, QWidget* parent = nullptr);

signals:
    void addRequested();
    void relinkRequested();
    /// A field of the chosen meshes.
    void scatterRequested();

private:
    void refresh();
    Workbench& m_bench;
    QLabel* m_facts;
    QPushButton* m_relink;
    QPushButton* m_scatter;
};

} // namespace thicket::app
