gypsum change sshd MaxAuthTries=4                                  # wakes the line that stands commented out
gypsum change sshd 'Match User porter..X11Forwarding=no'           # inside a group
gypsum change sshd --add 'AcceptEnv=BOARD_*' --remark "for the boards"
gypsum change mariadb mysqld..max_connections=300                  # aligned as the others are
gypsum change mariadb 'innodb_buffer_pool_size*=2' --enable skip-name-resolve
gypsum change nginx 'server boards.example..location /map..expires=2h'
gypsum change nginx --add 'server boards.example..location /api' 'server boards.example..location /api..expires=1h'
gypsum change nginx client_max_body_size=20m                       # lands in the included file
gypsum change nginx --replace-all ferries.example --by quay.example
gypsum change nginx --piece api.piece --under 'server ferries.example'
gypsum change apache 'VirtualHost *:80..ServerName=boards.example'
gypsum change apache --disable 'LoadModule status_module' --disable 'Include conf/status.conf'
gypsum change named --enable options..forwarders options..forwarders-=0.0.0.0 options..forwarders+=10.1.0.53
gypsum change named options..listen-on+=10.1.0.7
gypsum change squid --add 'http_access=allow quays' --above 'http_access deny all'
gypsum change redis maxmemory=512mb
gypsum change postgresql shared_buffers=512MB 'work_mem*=2'
gypsum change postfix 'relayhost=[mail.saltmarsh.example]'
gypsum change php PHP..memory_limit=256M
gypsum change boards 'JVM_OPTS..-Xss*=2' JVM_OPTS..-Xmx=2g         # one option among many
gypsum change settings 'UPLOAD_MAX=128 * 1024 * 1024' ALLOWED_HOSTS+=boards.example
gypsum change unbound server..num-threads=4
gypsum change hosts '10.1.0.7=boards.example boards quays'
gypsum change yaml 'upstreams..#2..port=8083' quays+=east
gypsum change json tls..min=1.3 debug=false                        # a text stays a text; commas come by themselves
gypsum change toml server..quays+=south
gypsum change tomcat Connector..maxThreads=300 level=debug
gypsum change yaml --edits summer.toml                             # prepared, kept beside the file, read by others
gypsum change yaml listen=9000 --print-edits                       # the same as such a file
