#pragma once
// The window: the path of stages on top, subjects on the left, viewport and chart in the middle, the stage's panel on
// the right.

#include "app/parts/controls.h"
#include "app/parts/stage_path.h"
#include "app/viewport/view_stack.h"
#include "app/viewport/walk_strip.h"
#include "appmodel/subject_model.h"

#include <QLineEdit>
#include <QListView>
#include <QMainWindow>
#include <QProgressBar>
#include <QSortFilterProxyModel>
#include <QSplitter>
#include <QStackedWidget>

class QMenu;

namespace thicket::app {

class BudgetPanel;
class CareBar;
class PlayBar;
class PopList;
class FindingsView;
class EmitterChart;
class EmitterSwitches;
class FieldChart;
class GroundPanel;
class StudyChart;
class TerrainPanel;
class FieldPanel;
class GatherPanel;
class RouteChart;
class ScatterPanel;
class ShipPanel;
class ShipView;
class SwitchChart;
class SwitchPanel;
class ThinChart;
class ThinPanel;

/// File filter of the dialogs that add meshes.
QString meshFilter();

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    MainWindow();
    ~MainWindow() override;

    /// Opens files or a project named on the command line.
    void open(const QStringList& paths);
    void setStage(Stage stage);
    [[nodiscard]] Stage stage() const { return m_stage; }

    // For tests, which use the window as a person would.
    Workbench& bench() { return m_bench; }
    Viewport& viewport() { return *m_viewport; }
    ViewStack& views() { return *m_viewBox; }
    WalkStrip& walkStrip() { return *m_strip; }
    StagePath& path() { return *m_path; }
    ThinChart& thinChart() { return *m_thinChart; }
    SwitchChart& switchChart() { return *m_switchChart; }
    FieldChart& fieldChart() { return *m_fieldChart; }
    EmitterChart& emitterChart() { return *m_emitterChart; }
    StudyChart& studyChart() { return *m_studyChart; }
    RouteChart& routeChart() { return *m_routeChart; }
    QListView& subjectList() { return *m_list; }
    Gauge& triangleGauge() { return *m_triangles; }
    Gauge& drawGauge() { return *m_draws; }
    Segmented& shadingChoice() { return *m_shading; }
    Segmented& arrangementChoice() { return *m_arrangement; }
    CareBar& careBar() { return *m_careBar; }
    PlayBar& playBar() { return *m_playBar; }
    void arrange(Arrangement arrangement);
    [[nodiscard]] QString messageText() const { return m_messageText->text(); }
    /// Asks nothing, neither on opening nor on closing: for tests and for pictures.
    void beQuiet() { m_quiet = true; }
    void closeQuietly() {
        beQuiet();
        close();
    }

protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void changeEvent(QEvent* event) override;

private:
    QWidget* makeTop();
    QWidget* makeLeft();
    [[nodiscard]] std::vector<std::uint32_t> chosenSubjects() const;
    void addTakeLevels(QMenu& menu, const Subject& subject);
    QWidget* makeCentre();
    QWidget* makeFoot();
    void makeActions();
    void placeOverlays();
    void refreshTitle();
    void refreshStages();
    void refreshGauges();
    void refreshCharts();
    void showKind();
    void showFrame();
    void askHeights(const QString& path);
    void showMessage(const QString& text, bool serious);
    void showMessages();
    void placeMessage();
    [[nodiscard]] QStringList messageLines() const;
    void dismissMessages();
    void noteRecent(const QString& path);
    bool askToSave();
    [[nodiscard]] QString suggestedPath() const;
    void save(bool as);
    void playRoute(bool on);
    void toggleRecording();
    /// A key where the shot camera is; what is being recorded ends.
    void keyCamera();
    /// The needle of the lanes and of the overview goes there; the shot camera stays.
    void showRouteTime(double seconds);
    /// Whether the shot camera is where the route is at the needle.
    [[nodiscard]] bool onRoute() const;
    void makeStrip();

    Workbench m_bench;
    Stage m_stage = Stage::Gather;
    StagePath* m_path = nullptr;
    Gauge* m_triangles = nullptr;
    Gauge* m_draws = nullptr;
    Gauge* m_time = nullptr;
    QPushButton* m_title = nullptr;
    QLabel* m_state = nullptr;
    QMenu* m_recent = nullptr;
    QListView* m_list = nullptr;
    SubjectModel* m_model = nullptr;
    QSortFilterProxyModel* m_filter = nullptr;
    QSplitter* m_splitter = nullptr;
    Viewport* m_viewport = nullptr;
    ViewStack* m_viewBox = nullptr;
    WalkStrip* m_strip = nullptr;
    Segmented* m_shading = nullptr;
    Segmented* m_arrangement = nullptr;
    CareBar* m_careBar = nullptr;
    PlayBar* m_playBar = nullptr;
    Segmented* m_unit = nullptr;
    QStackedWidget* m_bottom = nullptr;
    QStackedWidget* m_panels = nullptr;
    QStackedWidget* m_switchCharts = nullptr; ///< of a mesh or ground, of what thins out, of tile sizes, of an emitter
    QStackedWidget* m_switchPanels = nullptr;
    QStackedWidget* m_gatherPanels = nullptr;
    QStackedWidget* m_thinPanels = nullptr;
    StudyChart* m_studyChart = nullptr;
    TerrainPanel* m_terrainPanel = nullptr;
    GroundPanel* m_groundPanel = nullptr;
    bool m_tileSizes = false; ///< the chart of tile sizes is to be shown for ground
    FindingsView* m_findings = nullptr;
    ThinChart* m_thinChart = nullptr;
    SwitchChart* m_switchChart = nullptr;
    FieldChart* m_fieldChart = nullptr;
    EmitterChart* m_emitterChart = nullptr;
    EmitterSwitches* m_emitterSwitches = nullptr;
    PopList* m_popList = nullptr;           ///< in the panel of the kind that is selected
    QStackedWidget* m_thinCharts = nullptr; ///< of a mesh or ground, of strands, of an emitter
    RouteChart* m_routeChart = nullptr;
    ShipView* m_shipView = nullptr;
    GatherPanel* m_gatherPanel = nullptr;
    ThinPanel* m_thinPanel = nullptr;
    SwitchPanel* m_switchPanel = nullptr;
    FieldPanel* m_fieldPanel = nullptr;
    ScatterPanel* m_scatterPanel = nullptr;
    BudgetPanel* m_budgetPanel = nullptr;
    ShipPanel* m_shipPanel = nullptr;
    QLabel* m_hint = nullptr;
    QWidget* m_jobBox = nullptr;
    QLabel* m_jobText = nullptr;
    QProgressBar* m_jobBar = nullptr;
    QFrame* m_message = nullptr;
    QStringList m_serious; ///< messages that nobody dismissed yet
    QString m_note;        ///< that goes by itself
    QLabel* m_messageText = nullptr;
    QTimer m_play;
    QElapsedTimer m_playClock;
    double m_playFrom = 0;
    QTimer m_messageTimer;
    QTimer m_culledTimer; ///< what culling saves is counted a few times a second at most, and not in motion
    std::vector<SubjectMemory> m_memory; ///< of the scene; empty: not reckoned since it changed
    QTimer m_gaugesTimer; ///< gauges and charts follow the camera a few times a second less often than the picture
    std::optional<std::array<std::uint64_t, 5>> m_saves; ///< what each reason to cull saves; none: not reckoned yet
    bool m_quiet = false;
};

} // namespace thicket::app
