#pragma once
// Fields of copies: in from tables and recipes, scattered in the background, thinned and switched by their own rules.

#include "appmodel/session.h"
#include "scatter/recipe.h"

#include <QStringList>
#include <map>

namespace thicket::app {

class FieldModel : public QObject {
    Q_OBJECT
public:
    explicit FieldModel(Session& session) : m_session(session) {}

    // In
    /// A field of what a table places; its names are those of meshes in the project. Rows that cannot be placed are
    /// said (rowsRefused) and nothing is done, or left out with `skipBad`.
    void importTable(const QString& path, bool skipBad = false);
    /// A new field of some meshes on the widest of the meshes of the horizon, or on level ground.
    void scatterNew(const std::vector<std::uint32_t>& assets);
    /// A new field by a recipe's file.
    void openRecipe(const QString& path);
    void saveRecipe(std::uint32_t field, const QString& path);

    // Scattering
    /// What the field is, or will be when its scattering ends, scattered by; null when it came from a table.
    [[nodiscard]] const ScatterRecipe* recipe(std::uint32_t field) const;
    [[nodiscard]] bool scattering(std::uint32_t field) const { return m_pending.contains(field); }
    /// Scatters again in the background; the field stays as it is until then. One step, with its new recipe.
    void setRecipe(std::uint32_t field, const ScatterRecipe& recipe, const QString& label);

    // How it thins out and switches; the first two are for strands too
    void setThinning(std::uint32_t field, const Thinning& thinning, const QString& label, const QString& mergeKey = {});
    /// Copies grow by what holds the cover; or by a curve that begins as that growth is.
    void holdCover(std::uint32_t field, bool on);
    /// Where a level comes in, metres in force at scale 1, for all assets of the field that have it.
    void setSwitch(std::uint32_t field, int level, double metres, const QString& mergeKey = {});
    void clearSwitch(std::uint32_t field, int level);
    void setEngineInstances(std::uint32_t field, bool on);
    void removeCopy(std::uint32_t placement);

    /// What is left of a field's cover at its worst up to where nothing is kept any more, and where that is.
    struct LeastCover {
        double share = 1;
        double metres = 0;
    };
    static LeastCover leastCover(const Thinning& thinning, double reachMetres);

signals:
    /// A table holds rows that cannot be placed: the first of them in words.
    void rowsRefused(const QString& path, qulonglong bad, qulonglong good, const QString& text);
    void recipeChanged(std::uint32_t field);

private:
    [[nodiscard]] const Scene& scene() const { return m_session.scene(); }
    [[nodiscard]] const Subject* field(std::uint32_t id) const;
    void edit(const Subject& after, const QString& label, const QString& mergeKey = {});
    void addField(const QString& title, std::function<Result<Subject>(const Scene&, const JobContext&)> make);

    Session& m_session;
    struct Pending {
        ScatterRecipe recipe;
        int number = 0; ///< which of the scatterings that were asked for
    };
    std::map<std::uint32_t, Pending> m_pending; ///< by field
    int m_asked = 0;
};

} // namespace thicket::app
