// What things wear, on the graphics card.
#pragma once
#include <QOpenGLBuffer>
#include <QOpenGLFunctions_3_3_Core>
#include <map>

#include "app/session/eval_worker.h"

namespace ovrix::app {

/// By what wears them, and not by mesh: things of one form may wear different materials.
class GlLooks : protected QOpenGLFunctions_3_3_Core {
  public:
    /// In the current context. Throws Error.
    void initialise();
    void beginUpdate();
    /// Takes over what is worn where it is another than before; what does not fit yet is left out.
    /// @param count  of corners, or of copies
    void use(const EvalSnapshot& snapshot, const std::string& key, size_t count);
    void endUpdate();
    /// Gives it to attributes 8 and 9 of the array that is bound; false where all is of one colour.
    /// @param divisor  0 for a place for each vertex, 1 for each copy
    bool bind(const std::string& key, GLuint divisor);
    /// Whether some of it is seen through.
    bool clear(const std::string& key) const;

  private:
    struct Look {
        QOpenGLBuffer buffer;
        uint64_t stamp = 0;
        bool clear = false, used = false;
    };
    std::map<std::string, Look> looks_;
};

}  // namespace ovrix::app
