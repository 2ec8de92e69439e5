#pragma once
// Terrain: heights in, tiles of another size, strokes of a brush, meshes of a given error, the study of tile sizes.

#include "appmodel/session.h"
#include "scene/grounds.h"
#include "terrain/ground_meshes.h"
#include "terrain/tile_study.h"

namespace thicket::app {

class GroundModel : public QObject {
    Q_OBJECT
public:
    explicit GroundModel(Session& session) : m_session(session) {}

    // In
    void importHeights(const QString& path, const HeightOptions& options);
    /// A neutral made-up ground of so many metres a side.
    void makeTrial(std::uint32_t side);
    /// Reads the heights of a terrain again, from this file.
    void relink(std::uint32_t id, const QString& path);

    void setTileSize(std::uint32_t id, std::uint32_t cells);
    void setBetween(std::uint32_t id, Passing between);

    /// Puts all copies of a mesh or a field onto the ground below or above them, as one step; says where there is none.
    void standOnGround(std::uint32_t id);

    // Strokes: each is one step
    /// Begins a stroke at a place; flatten goes to the height that is there.
    void beginStroke(std::uint32_t id, BrushKind kind, double radius, double strength, const Vec3d& at);
    void goOnWithStroke(const Vec3d& at);
    /// Ends it: what stands there follows the ground.
    void endStroke();
    void cancelStroke();
    [[nodiscard]] bool stroking() const { return m_stroke.id != 0; }
    /// What laying the last step of a stroke took, and how many tiles were done again.
    [[nodiscard]] double strokeMs() const { return m_strokeMs; }
    [[nodiscard]] std::uint32_t strokeTiles() const { return m_strokeTiles; }

    // Meshes
    struct Forecast {
        double error = 0;
        RightTriangles::Count count;
    };
    /// Works out how many triangles such meshes would have; forecastReady tells.
    void forecast(std::uint32_t id, const GroundMeshAsk& ask);
    /// Why there is no forecast of what was last asked for; empty: there is one.
    [[nodiscard]] const QString& noForecast() const { return m_noForecast; }
    [[nodiscard]] const std::vector<Forecast>& forecasts() const { return m_forecasts; }
    /// Writes one GLB with a level an error, finest first, and tells meshWritten.
    void writeMesh(std::uint32_t id, const GroundMeshAsk& ask, const QString& path);

    // Study
    void study(std::uint32_t id);
    struct Study {
        std::uint32_t id = 0;
        std::shared_ptr<const Heights> of;
        bool alongRoute = false; ///< else from where the stated view stands
        TileStudy result;
        TilePrices prices;
    };
    [[nodiscard]] const Study& lastStudy() const { return m_study; }

signals:
    void forecastReady();
    void meshWritten(const QString& path);
    void studyChanged();
    void strokeLaid();

private:
    [[nodiscard]] const Scene& scene() const { return m_session.scene(); }
    [[nodiscard]] const Subject* terrain(std::uint32_t id) const;
    void add(const QString& title, std::function<Result<Subject>(const JobContext&)> make);
    void layStroke();
    void follow(const Heights& before, const Heights& after, const HeightRect& touched, const std::string& mergeKey);

    Session& m_session;
    struct {
        std::uint32_t id = 0; ///< 0: none in the making
        GroundBefore under;
        GroundStroke stroke;
        HeightRect touched;
        bool laid = false;
        int number = 0;
    } m_stroke;
    double m_strokeMs = 0;
    std::uint32_t m_strokeTiles = 0;
    QString m_noForecast;
    std::vector<Forecast> m_forecasts;
    Study m_study;
};

} // namespace thicket::app
