#pragma once
// The view of the scene. In Gather and Thin it shows one subject; in the other stages what the selector chose.

#include "app/terrain/ground_panel.h"
#include "app/viewport/care_brush.h"
#include "app/viewport/cloud_maker.h"
#include "app/viewport/ground_tiles.h"
#include "app/viewport/moving_budget.h"
#include "app/viewport/orbit_camera.h"
#include "app/viewport/pose_player.h"
#include "app/viewport/scene_items.h"
#include "app/viewport/stepped_picture.h"
#include "appmodel/workbench.h"
#include "scene/occluders.h"
#include "scene/select_input.h"

#include <QElapsedTimer>
#include <QOpenGLFramebufferObject>
#include <QOpenGLWidget>
#include <QTimer>

namespace thicket::app {

enum class Arrangement { One, LineUp, Wipe, Care };

class Viewport;

/// Read-outs over the picture. A widget of its own, so that painting them cannot disturb the graphics state.
class ViewportOverlay : public QWidget {
    Q_OBJECT
public:
    explicit ViewportOverlay(Viewport& viewport);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    Viewport& m_viewport;
};

class Viewport : public QOpenGLWidget {
    Q_OBJECT
public:
    explicit Viewport(Workbench& bench, QWidget* parent = nullptr);
    ~Viewport() override;

    void setStage(Stage stage);
    void setShading(Shading shading);
    [[nodiscard]] Shading shading() const { return m_shading; }
    void setArrangement(Arrangement arrangement);
    /// Gives the brush that is laid on the chosen ground; empty while it is put away.
    std::function<std::optional<GroundBrush>()> groundBrush;
    [[nodiscard]] GroundTiles& groundTiles() { return m_groundTiles; }
    /// Gives the brush that paints care, without a path.
    std::function<CareStroke()> brush;
    [[nodiscard]] bool painting() const;
    /// Gives up the stroke in the making, if there is one; true when there was.
    bool cancelStroke();
    /// While on, the source is shown in place of the selected level.
    void showSource(bool on);
    /// Where the wipe divides the picture, as a share of its width.
    [[nodiscard]] double wipe() const { return m_wipe; }
    void frameSelection();
    /// Where the shot camera's line of sight meets the ground, or what it turns about where there is none.
    [[nodiscard]] Vec3d placeLookedAt() const;
    void framePlace(const Vec3d& place, double radius);
    /// The finding that is marked, in Gather; null: none.
    [[nodiscard]] const PlacesModel::Pointed* pointed() const;

    /// Where the shot camera stands and looks, with the stated field and lines.
    [[nodiscard]] View shotView() const;
    void setShotView(const Vec3d& eye, const Vec3d& target);
    /// The same where somebody chose it, or it was found for what was brought in.
    [[nodiscard]] std::optional<View> chosenView() const;
    /// The camera goes where the first thing can be seen, once there is one.
    void forgetView();
    /// Moves the shot camera along its line to the nearest copy of the selected subject until that is so far away.
    void standAt(double metres);
    /// The same for a distance that is stated at scale 1: the nearest copy's own scale is taken into account.
    void standWhereItSwitches(double metres, int level);
    /// Measured distance to the nearest copy of the selected subject; negative when there is none.
    [[nodiscard]] double subjectDistance() const;
    /// How many times as far that copy's switches come in as the subject's at scale 1: by its size and importance.
    [[nodiscard]] double subjectFactor() const;
    /// Shows two levels of the selected subject in turn where it stands, a few times, whatever was selected.
    void flicker(int finer, int coarser);
    [[nodiscard]] bool flickering() const { return m_flicker.isActive(); }
    void walkBack();
    /// Where a walk back goes from and to for the nearest copy of the selected subject; empty when there is none.
    [[nodiscard]] std::optional<std::pair<double, double>> walkEnds() const;
    void stopWalk();
    [[nodiscard]] bool walking() const { return m_walk.isActive(); }
    void setRouteTime(double seconds);
    /// The moment that emitters are shown at, seconds; the picture is drawn anew.
    void setEffectTime(double seconds);
    [[nodiscard]] double effectTime() const { return m_effectSeconds; }

    // Animations of the subject that is looked at alone
    [[nodiscard]] bool canPlay() const;
    [[nodiscard]] bool playing() const { return m_play.isActive(); }
    /// Whether a pose is shown, playing or held, in place of the mesh at rest.
    [[nodiscard]] bool inMotion() const;
    [[nodiscard]] Moment moment() const;
    /// An emitter plays its particles, a mesh its poses.
    [[nodiscard]] bool playsEffect() const;
    [[nodiscard]] bool playsPoses() const;
    [[nodiscard]] double animationLength() const; ///< seconds
    void play(bool on);
    void setMoment(std::size_t animation, double seconds);
    void toRest();

    /// A small picture from where the route is at a moment, of levels that are light enough for it. It comes about
    /// between what the window is asked: empty: ask again, soon; nothing: not now.
    [[nodiscard]] std::optional<QImage> glance(double seconds, const QSize& size);

    /// The exact selection of the present frame: what the gauges show.
    [[nodiscard]] const Selection& exact() const { return m_exact; }
    [[nodiscard]] const SelectInput& input() const { return m_input; }
    [[nodiscard]] const SelectState& selectState() const { return m_state; }
    /// Which reasons to cull are in force in this view: for looking at what they do, no part of the project.
    void setCulling(const SelectOptions& options);
    [[nodiscard]] SelectOptions selectionOptions() const;
    /// Reckons on any thread what triangles each reason keeps from being drawn now: out of view, beyond reach, too
    /// small, hidden, thinned away. Of what is selected when it is asked for.
    [[nodiscard]] std::function<std::array<std::uint64_t, 5>()> cullingSaves() const;

    /// While on, what was selected stays selected wherever the camera goes.
    void setFrozen(bool on);
    [[nodiscard]] bool frozen() const { return m_frozen.has_value(); }
    /// The view whose selection is in force.
    [[nodiscard]] View selectedView() const { return m_frozen ? *m_frozen : m_selectedFrom; }
    /// What is read off for the nearest copy of the selected subject; level -1 when it is not drawn.
    struct Reading {
        double metres = -1;
        double height = 0; ///< share of the viewport
        int level = -1;
        std::uint32_t triangles = 0;
        double errorPx = 0;
    };
    [[nodiscard]] Reading reading() const;
    /// Why the nearest copy of the selected subject is drawn as it is; empty when there is none.
    [[nodiscard]] QString why() const;
    /// Its placement; 0 when it has none.
    [[nodiscard]] std::uint32_t nearestPlacement() const;
    /// What the window's thread did for the last frame before anything was drawn: choosing and listing, milliseconds.
    [[nodiscard]] double prepareMs() const { return m_prepareMs; }
    /// What the last frame really submitted, and by what factor it was lightened.
    [[nodiscard]] std::uint64_t submittedTriangles() const { return m_shown.triangles + m_shown.particleTriangles; }
    [[nodiscard]] std::uint64_t submittedDraws() const { return m_shown.draws + m_shown.particleDraws; }
    [[nodiscard]] double lightening() const { return m_factorDrawn; }
    [[nodiscard]] bool moving() const { return m_moving; }
    /// The exact picture stands, be it without smooth edges as yet.
    [[nodiscard]] bool exactStands() const {
        return !m_moving && !m_refreshAsked && (m_restShown || m_plainShown) && m_cloudStands &&
               (solo() || m_groundTiles.waiting() == 0);
    }
    /// The exact picture stands, with smooth edges.
    [[nodiscard]] bool settled() const {
        return !m_moving && !m_refreshAsked && m_restShown && m_restPicture.done() && m_cloudStands &&
               (solo() || m_groundTiles.waiting() == 0);
    }
    [[nodiscard]] double lastFrameMs() const { return m_frameMs; }

signals:
    /// After every exact selection: the camera moved, the scene changed, a fade went on. In motion not for every frame.
    void selected();
    /// A frame that came about in steps is shown next.
    void aboutToShow();
    /// After every frame.
    void painted();
    /// Playing began or ended, or another moment is shown.
    void motionChanged();
    void filesDropped(const QStringList& paths);

protected:
    void initializeGL() override;
    void paintGL() override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    /// One subject by itself; fields, terrain and strands are always seen where they stand.
    [[nodiscard]] bool solo() const {
        const Subject* s = m_bench.session.subject();
        return (m_stage == Stage::Gather || m_stage == Stage::Thin) &&
               (s == nullptr || s->isMesh() || s->emitter() != nullptr);
    }
    /// What is seen by itself; null where nothing is chosen, or something that is not.
    [[nodiscard]] const Subject* soloSubject() const { return solo() ? m_bench.session.subject() : nullptr; }
    [[nodiscard]] Bounds seenBox(const Subject& subject) const;
    std::vector<DrawItem> emitterItems(const Subject& subject);
    void paintEmitterLabels(QPainter& painter, const QMatrix4x4& viewProjection, const Subject& subject) const;
    void addParticles(const Selection& selection, const View& view, std::vector<DrawItem>& out);
    void addCloud(const CloudWish& wish, std::vector<DrawItem>& out);
    OrbitCamera& orbit() { return solo() ? m_soloOrbit : m_sceneOrbit; }
    void lookAtFirst();
    bool lookOver(const Subject& subject);
    [[nodiscard]] bool isOfAnotherSize() const;
    void turn(double left, double up);
    void pan(double right, double down);
    void dolly(double factor);
    void moved();
    void lookFrom(const Vec3d& eye, const Vec3d& target);
    void rebuild();
    void selectNow();
    void lookAgainLater();
    void measureSpeed(const View& view);
    std::vector<DrawItem> soloItems();
    DrawItem levelItem(const Subject& subject, int level);
    void lightenSolo(const Subject& subject, std::vector<DrawItem>& items);
    void playOn();
    [[nodiscard]] bool comparing(Arrangement arrangement) const;
    [[nodiscard]] int heatLevel(const Subject& subject) const;
    /// Metres at the end of the heat's scale: what of a level's deviation can be seen, where a few places are much
    /// farther off. Those are marked.
    [[nodiscard]] static double heatEnd(const Level& level);
    void paintHeatLegend(QPainter& painter, const Subject& subject) const;
    [[nodiscard]] QRectF heatLegend() const;
    /// Looks at the place where the coloured level is off most.
    void frameWorst();
    void paintWipe(QPainter& painter, const Subject& subject) const;
    [[nodiscard]] int wipeLevel(const Subject& subject) const;
    [[nodiscard]] bool onWipe(const QPointF& at) const;
    struct Touch {
        Vec3d place;
        Vec3d normal;
    };
    [[nodiscard]] std::optional<Touch> touch(const QPointF& at) const;
    bool beginStroke(const QPointF& at);
    /// The direction of sight through a place of the picture.
    [[nodiscard]] Vec3d sightThrough(const QPointF& at) const;
    struct GroundHit {
        std::size_t ground = 0;          ///< index into the input's
        const DrawnTile* tile = nullptr; ///< that is drawn there; null: none
        Vec3d place{0, 0, 0};
        double metres = 0; ///< from the eye
    };
    /// Where a line of sight meets ground: the chosen terrain's, or with `any` that of the nearest.
    [[nodiscard]] std::optional<GroundHit> groundAlongSight(const Vec3d& direction, bool any) const;
    /// The same for the place that is looked at: where someone clicked, else the middle of the picture.
    [[nodiscard]] std::optional<GroundHit> groundLookedAt() const;
    [[nodiscard]] const Subject* chosenGround() const;
    void standOnGroundAt(double metres);
    void paintGroundReading(QPainter& p, const QMatrix4x4& viewProjection);
    void paintGroundHeat(QPainter& p) const;
    void paintGroundBrush(QPainter& p, const QMatrix4x4& viewProjection) const;
    [[nodiscard]] bool groundBrushOut() const { return m_stage == Stage::Gather && groundBrush && groundBrush(); }
    void chooseAt(const QPointF& at);
    void paintFieldReading(QPainter& p, const Subject& field);
    void goOnWithStroke(const QPointF& at);
    void endStroke();
    void tintByCare(const Subject& subject, DrawItem& item);
    void paintBrush(QPainter& painter, const QMatrix4x4& viewProjection) const;
    /// Looks at the place that is pointed to.
    void framePointed();
    void paintPlaces(QPainter& painter, const QMatrix4x4& viewProjection) const;
    std::vector<DrawItem> sceneItems(const Selection& selection, int halvings);
    [[nodiscard]] std::vector<double> lineUpOffsets(const Subject& subject) const;
    void paintOverlay(QPainter& painter, const QMatrix4x4& viewProjection);
    void paintSoloOverlay(QPainter& painter, const QMatrix4x4& viewProjection);
    void paintSceneOverlay(QPainter& painter, const QMatrix4x4& viewProjection);
    void paintEmpty(QPainter& painter) const;
    void paintReading(QPainter& painter, const Pick& pick, const ResolvedChain& chain, const QString& state);
    [[nodiscard]] std::vector<Vec3d> placesAround(CopyRef copy) const;
    void paintPicked(QPainter& painter, const QMatrix4x4& viewProjection, CopyRef copy, const QString& state);
    [[nodiscard]] std::optional<CopyRef> nearest() const;
    [[nodiscard]] const Placement& placeOf(CopyRef copy) const {
        return m_input.batches[copy.batch].copies->at(copy.slot);
    }
    [[nodiscard]] const ResolvedChain& chainOf(CopyRef copy) const { return m_input.batches[copy.batch].chain; }
    [[nodiscard]] Pick pick(CopyRef copy) const;
    [[nodiscard]] double now() const { return static_cast<double>(m_clock.elapsed()) / 1000; }
    [[nodiscard]] double gridSquare() const;
    void warmOne();
    void selectLight();
    /// What of the picture at rest there is to show.
    enum class Rests { Nothing, Plain, Smooth };
    Rests drawRest(std::vector<DrawItem> items, const View& view, const QMatrix4x4& viewProjection,
                   const QSize& pixels);
    void stepRest();
    void nextOfRest();
    void clearRest();
    void beginRest();
    Rests bringRest(const QSize& pixels);
    void askForRest();
    void showRest(Rests rests, const View& view, const QSize& pixels);
    [[nodiscard]] QSize quickSize(const QSize& pixels) const;
    void bindQuick(const QSize& size);
    /// What is to be drawn, from where.
    struct Frame {
        std::vector<DrawItem> items;
        View view;
        QMatrix4x4 viewProjection;
        std::uint64_t triangles = 0; ///< as they are counted
        double factor = 1;           ///< that it is lightened by
    };
    Frame frameFrom(const View& view);
    [[nodiscard]] std::uint64_t groundTriangles(const Selection& selection) const;
    static std::optional<DrawItem> takeParticles(Frame& frame);
    [[nodiscard]] View frameView() const;
    void drawMoving(Frame frame, const QSize& pixels, bool intoWindow);
    void nextOfMotion();
    /// Asks for a frame and what is laid over it at once: asked for one after the other, the window would be put
    /// together twice, which in software rendering takes as long as many a frame.
    void refresh();
    void finishFrame();
    void setHaze();
    [[nodiscard]] QSize pixelSize() const;
    void stepMotion(qint64 mostMs);
    void showMotion(const QSize& pixels);
    void beginGlance(const View& view, const QSize& size);
    void keepShown();
    void showKept(const QSize& pixels);
    void motionShown(const QSize& drawn, const QSize& pixels);
    void drawPiece(SteppedPicture& picture, std::uint64_t triangles);
    void drawGrid(const QMatrix4x4& viewProjection);

    friend class ViewportOverlay;

    Workbench& m_bench;
    ViewportOverlay* m_overlay;
    QMatrix4x4 m_viewProjection; ///< of the last frame, for the overlay
    GlScene m_gl;
    /// Multisampled target for the picture at rest; in motion the window's own, plain one is used.
    std::unique_ptr<QOpenGLFramebufferObject> m_smooth;
    std::unique_ptr<QOpenGLFramebufferObject> m_quick; ///< in motion, where the window has too many pixels or waits
    std::unique_ptr<QOpenGLFramebufferObject>
        m_plain; ///< the picture at rest without smooth edges, where these take long
    std::unique_ptr<QOpenGLFramebufferObject> m_kept; ///< what was shown before the window changed its size
    QSize m_shownSize;                                ///< of what is shown, in the screen's pixels
    bool m_ready = false;
    SteppedPicture m_restPicture;
    struct {
        SteppedPicture picture;
        std::unique_ptr<QOpenGLFramebufferObject> target; ///< there while `picture` is valid
        bool begun = false;
    } m_glance;                   ///< that is being made
    SteppedPicture m_motion;      ///< a moving frame that takes longer than the window may wait
    GlScene::Counts m_shown;      ///< what is in the picture that is shown
    GlScene::Counts m_restCounts; ///< in what stands of the picture at rest
    double m_motionMs = 0;        ///< spent on it so far
    double m_motionFactor = 1;    ///< that it is lightened by
    bool m_putTogether = false;   ///< the window was, since it last answered
    bool m_motionInSteps = true;  ///< the last one took so long, or there was none to know it by
    bool m_refreshAsked = false;  ///< another frame than the one that is shown
    bool m_overlayAsked = false;  ///< what is laid over the picture is drawn anew with the next one
    bool m_overlayComes = false;  ///< it is, with the one that is drawn now
    bool m_movedOn = false;       ///< the camera went on since it was begun
    double m_restMs = 0;          ///< spent on it so far
    double m_lastRestMs = 0;      ///< and on the one before
    bool m_plainFirst = false;    ///< it is drawn without smooth edges first
    bool m_plainStands = false;
    bool m_plainShown = false;               ///< by the last frame
    std::optional<DrawItem> m_restParticles; ///< that are laid over it
    bool m_restAlone = false;                ///< it is all that the next frame has to show
    bool m_restShown = false;                ///< the last frame was of it as a whole
    bool m_pictureStands = false;            ///< there is something to look at while the next picture is drawn
    Stage m_stage = Stage::Gather;
    Shading m_shading = Shading::Shaded;
    Arrangement m_arrangement = Arrangement::One;
    double m_wipe = 0.5;
    bool m_wiping = false;     ///< its line is being dragged
    bool m_showSource = false; ///< a key is held
    CareBrush m_brush;
    OrbitCamera m_soloOrbit;
    OrbitCamera m_sceneOrbit;
    std::uint32_t m_framed = 0;
    double m_framedAcross = 0;   ///< how large that was, metres
    bool m_sceneViewSet = false; ///< someone has said where the shot camera stands
    QPointF m_last;
    QPointF m_pressed{-1, -1}; ///< where the left button went down

    SelectInput m_input;
    OccluderShelf m_shelf;
    std::optional<View> m_frozen; ///< the view that was selected for, while that is held
    double m_speed = 0;           ///< of the camera, metres a second, smoothed
    Vec3d m_speedEye{0, 0, 0};
    struct {
        std::optional<CopyRef> copy; ///< the camera was put before it, and has not been led elsewhere since
        std::shared_ptr<const CellTable> of;
        bool clicked = false; ///< someone has chosen it, and it stays wherever the camera goes
    } m_held;
    qint64 m_speedAt = 0;
    double m_prepareMs = 0;
    Selection m_exact;
    Selection m_light;
    SelectOptions m_culling;
    SelectState m_state;
    SelectState m_lightState;
    View m_selectedFrom;                                     ///< where the last exact selection was made from
    QElapsedTimer m_sinceExact;                              ///< since the last exact selection of a frame
    bool m_sudden = false;                                   ///< switches do not fade
    bool m_lightBegins = false;                              ///< nothing was selected with it yet
    double m_selectedAt = 0;                                 ///< seconds, when the exact selection was made
    mutable std::optional<std::optional<CopyRef>> m_nearest; ///< worked out once for each selection
    QElapsedTimer m_clock;

    bool m_moving = false;
    MovingBudget m_budget;
    double m_factorDrawn = 1;
    double m_frameMs = 0; ///< of the last moving frame, drawing and what the window does after it
    QTimer m_rest;
    QTimer m_nextOfMotion; ///< its next step, when the window has answered what it was asked meanwhile
    QTimer m_nextOfRest;   ///< likewise of the picture at rest
    QTimer m_lookAgain;    ///< at what was to be decided later
    QTimer m_walk;
    QTimer m_fades;
    QTimer m_warm; ///< uploads levels one by one, so that no switch waits for it
    QTimer m_flicker;
    int m_flickers = 0; ///< still to come
    std::uint32_t m_flickerSubject = 0;
    int m_flickerFiner = 0;
    int m_flickerCoarser = 0;
    QTimer m_play;
    QElapsedTimer m_playClock;
    PosePlayer m_player;
    ImpostorViews m_views;
    GroundTiles m_groundTiles;
    double m_effectSeconds = 12; ///< on the clock of emitters: all of them have been at it for so long
    CloudMaker m_clouds;
    std::shared_ptr<const ParticleDraw> m_lastParticles;        ///< as drawn
    bool m_cloudStands = true;                                  ///< that is what there is at this moment
    mutable std::pair<std::vector<EmitterPart>, Bounds> m_seen; ///< of the emitter that was framed last
    std::optional<Vec3d> m_groundPlace;                         ///< someone clicked on the chosen ground there
    double m_walkPhase = 0;
    double m_walkNear = 1;
    double m_walkFar = 100;
};

} // namespace thicket::app
