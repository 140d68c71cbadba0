# a default that stands commented out, in each comment style
gypsum change redis maxmemory=512mb
gypsum change nginx http..gzip=off
gypsum change php PHP..memory_limit=256M
gypsum change postgresql shared_buffers=512MB
# prose with a colon or an equals sign is no setting
gypsum change sshd MaxSessions=5
gypsum change unbound server..num-threads=4
# a block that stands commented out, with another example in it, is woken whole
gypsum change apache --enable 'VirtualHost *:80..Directory'
# woken whole, and given other values
gypsum change named --enable options..forwarders options..forwarders+=10.1.0.53 options..forwarders-=0.0.0.0
# two lines that belong together, commented out in one go
gypsum change apache --disable 'LoadModule status_module' --disable 'Include conf/status.conf'
# a whole block commented out, or removed
gypsum change nginx --disable 'server ferries.example'
gypsum change nginx --disable 'server boards.example..location /map'
gypsum change nginx --delete 'server boards.example..location /map'
# a section that is missing, and what there is
gypsum change mariadb mysql..port=3307
gypsum change mariadb --add mysql mysql..port=3307
# a key at the end of the right section, with a remark in the file's own style
gypsum change php PHP..post_max_size=8M --remark "as large as an upload"
gypsum change mariadb mysqld..wait_timeout=600 --remark "boards go to sleep"
# a line that must be the first, or above another
gypsum change squid --add 'http_access=deny !quays' --first
gypsum change squid --add 'http_access=allow quays' --above 'http_access deny'
gypsum change squid --add 'http_access=allow quays' --below 'http_access allow localhost'
# rules are found by their value; a word that fits several lists them
gypsum change squid --delete 'http_access allow localhost'
gypsum change squid --delete http_access
# one option inside a quoted list of options: set, doubled, added, taken out
gypsum change boards JVM_OPTS..-Xss*=2 JVM_OPTS..-Xms=1g
gypsum change boards --add JVM_OPTS..-XX:+UseStringDeduplication
gypsum change boards --delete JVM_OPTS..-XX:+UseG1GC
gypsum change boards --delete JVM_OPTS..-Dboard.name
# the same variable assigned twice: which one is asked, and an option finds its own
gypsum change boards JVM_OPTS=-server
gypsum change boards 'JVM_OPTS#2=-server'
# a value that needs quoting here
gypsum change boards 'LOG_DIR=/var/log/the boards'
gypsum change postgresql 'listen_addresses=localhost, 10.1.0.7'
# quotes from a web page
gypsum change boards LOG_DIR=“/var/log”
# a computed value is not ours to touch
gypsum change settings LOG_DIR=/srv/log
# numbers and sizes in Python
gypsum change settings 'UPLOAD_MAX=128 * 1024 * 1024' DEBUG=True
# lists over several lines
gypsum change settings ALLOWED_HOSTS+=boards.example ALLOWED_HOSTS-=ferries.example
gypsum change toml server..quays+=south
gypsum change yaml quays-=north quays+=east
# a value over several lines with a comment between
gypsum change postfix 'mydestination=$myhostname, saltmarsh.example'
# tabs and alignment
gypsum change postgresql 'work_mem*=2'
gypsum change hosts '10.1.0.8=ferries.example'
# the sort of a value stays
gypsum change json listen=http
gypsum change json listen=8090 'tls..ciphers=["a", "b"]'
# the same name in two settings, whole words only
gypsum change nginx --replace-all ferries.example --by quay.example
# included files: the edit lands where the setting stands
gypsum change nginx client_max_body_size=20m
gypsum change nginx client_max_body_size=20m --in conf.d/limits.conf
# several misfits at once, and nothing is done
gypsum change nginx server..listen=81 http..nothing..x=1 'worker_processes=4' --delete keepalive
# a prepared piece, its inner layout kept
gypsum change nginx --piece api.piece --under 'server boards.example'
# prepared edits say the same as options do
gypsum change yaml --edits summer.toml
gypsum change yaml --edits summer.toml listen=9000
# a variable that the shell took away
gypsum change postfix "mydestination=, saltmarsh.example"
# a piece and a block where the place matters
gypsum change nginx --piece api.piece --under 'server boards.example' --above 'server boards.example..location /map'
gypsum change nginx --add 'server ferries.example..location /quay' 'server ferries.example..location /quay..expires=1h' --first
gypsum change apache --add 'VirtualHost *:80..Directory /srv/boards' 'VirtualHost *:80..Directory /srv/boards..Require=all granted' --below 'VirtualHost *:80..ServerName'
# found by a word of the name, the value or the comment above
gypsum show boards machine
gypsum show postgresql quarter
gypsum show yaml south
