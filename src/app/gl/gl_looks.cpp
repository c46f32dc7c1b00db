#include "app/gl/gl_looks.h"

#include "app/gl/gl_offset.h"
#include "base/error.h"

namespace ovrix::app {

using deliver::WornPlace;

void GlLooks::initialise() {
    if (!initializeOpenGLFunctions())
        throw Error("OpenGL 3.3 is missing", {}, "Install a newer graphics driver");
}

void GlLooks::beginUpdate() {
    for (auto& [key, look] : looks_) look.used = false;
}

void GlLooks::endUpdate() {
    std::erase_if(looks_, [](const auto& entry) { return !entry.second.used; });
}

void GlLooks::use(const EvalSnapshot& snapshot, const std::string& key, size_t count) {
    const auto worn = snapshot.worn.find(key);
    if (worn == snapshot.worn.end() || !worn->second.places || worn->second.places->size() != count) return;
    Look& look = looks_[key];
    look.used = true;
    if (look.stamp == worn->second.stamp) return;
    const std::vector<WornPlace>& places = *worn->second.places;
    if (!look.buffer.isCreated()) look.buffer.create();
    look.buffer.bind();
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(count * sizeof(WornPlace)), places.data(), GL_STATIC_DRAW);
    look.stamp = worn->second.stamp;
    look.clear = std::any_of(places.begin(), places.end(), [](const WornPlace& p) { return p.clear > 127; });
}

bool GlLooks::bind(const std::string& key, GLuint divisor) {
    const auto look = looks_.find(key);
    const bool worn = look != looks_.end();
    if (worn) look->second.buffer.bind();
    for (const GLuint i : {8u, 9u}) {
        glVertexAttribDivisor(i, worn ? divisor : 0);
        if (!worn) {
            glDisableVertexAttribArray(i);
            continue;
        }
        glEnableVertexAttribArray(i);
        glVertexAttribPointer(i, 4, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(WornPlace),
                              bufferOffset(i == 8 ? 0 : 4));
    }
    return worn;
}

bool GlLooks::clear(const std::string& key) const {
    const auto look = looks_.find(key);
    return look != looks_.end() && look->second.clear;
}

}  // namespace ovrix::app
