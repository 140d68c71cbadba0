//! Further faults, thought up once the clients' checks were there, of kinds that no rule and no profile was written for. Each
//! passes the daemon's own checker. They are brought as edits; a client of another maker says what they break.

/// One of them.
pub struct Further {
    pub id: &'static str,
    pub daemon: &'static str,
    pub edits: &'static [&'static str],
}

const fn fault(id: &'static str, daemon: &'static str, edits: &'static [&'static str]) -> Further {
    Further { id, daemon, edits }
}

/// How a daemon is started, and what a client of it sees, by the name of the daemon.
pub const STAGES: [(&str, &str, &str); 15] = [
    (
        "nginx",
        "openssl req -x509 -newkey rsa:2048 -nodes -keyout /etc/ssl/quay.key -out /etc/ssl/quay.pem -days 9 -subj /CN=boards.saltmarsh.example \
         -addext subjectAltName=DNS:boards.saltmarsh.example 2>/dev/null; openssl req -x509 -key /etc/ssl/quay.key -out /etc/ssl/other.pem -days 9 \
         -subj /CN=pier.saltmarsh.example -addext subjectAltName=DNS:pier.saltmarsh.example
         mkdir -p /srv/boards/east /srv/empty; echo boards > /srv/boards/index.html; echo east > /srv/boards/east/index.html
         rm /etc/nginx/sites-enabled/default; cd /etc/nginx/sites-enabled
         echo 'server { listen 80; server_name boards.saltmarsh.example; root /srv/boards; location / { try_files $uri $uri/ =404; } }' > boards
         echo 'server { listen 80; server_name pier.saltmarsh.example; return 302 http://boards.saltmarsh.example/; }' > pier
         echo 'server { listen 443 ssl; server_name boards.saltmarsh.example; ssl_certificate /etc/ssl/quay.pem; ssl_certificate_key /etc/ssl/quay.key; \
         root /srv/boards; }' > tls; sed -i 's/[{};] /&\\n/g' boards pier tls
         systemctl start nginx; sleep 0.5; for n in 1 2 3; do curl -s -A Mozilla -o /dev/null -H Host:boards.saltmarsh.example http://127.0.0.1/east/; done",
        "for url in http://boards.saltmarsh.example/ http://boards.saltmarsh.example/east/ http://pier.saltmarsh.example/ https://boards.saltmarsh.example/; \
         do curl -s -L -m 3 --cacert /etc/ssl/quay.pem --resolve '*:80:127.0.0.1' --resolve '*:443:127.0.0.1' -o /dev/null -w '%{http_code} ' $url; done",
    ),
    (
        "apache2",
        "systemctl start apache2; sleep 0.5; mkdir -p /var/www/html/east /srv/empty; echo east > /var/www/html/east/index.html; chmod 755 /var/www/html/east
         for n in 1 2 3; do curl -s -A Mozilla -o /dev/null http://127.0.0.1/east/; done",
        "for path in / /east/; do curl -s -L -m 3 -o /dev/null -w '%{http_code} ' http://127.0.0.1$path; done",
    ),
    (
        "haproxy",
        "printf 'server { listen 8081; root /var/www/html; }' > /etc/nginx/sites-enabled/default; systemctl start nginx
         printf 'frontend boards\\n\\tbind 127.0.0.1:80\\n\\tmode http\\n\\tdefault_backend tides\\nbackend tides\\n\\tmode http\\n\\tserver a 127.0.0.1:8081\\nbackend spare\\n\\tmode http\\n' \
         >> /etc/haproxy/haproxy.cfg; systemctl start haproxy; sleep 0.5",
        "curl -s -L -m 3 -o /dev/null -w '%{http_code}' http://127.0.0.1/",
    ),
    (
        "squid",
        "printf 'server { listen 8081; root /var/www/html; }' > /etc/nginx/sites-enabled/default; systemctl start nginx squid; sleep 3",
        "curl -s -m 3 -o /dev/null -w '%{http_code}' -x http://127.0.0.1:3128 http://127.0.0.1:8081/",
    ),
    (
        "named",
        "printf '$TTL 60\\n@ SOA ns porter 1 60 60 60 60\\n@ NS ns\\nns A 127.0.0.1\\nquay A 192.0.2.7\\n' > /etc/bind/saltmarsh.zone
         printf '$TTL 60\\n@ SOA ns porter 1 60 60 60 60\\n@ NS ns\\nns A 127.0.0.1\\n' > /etc/bind/other.zone
         echo 'zone \"saltmarsh.example\" { type primary; file \"/etc/bind/saltmarsh.zone\"; };' | sed 's/[{};] /&\\n/g' >> /etc/bind/named.conf.local
         systemctl start named; sleep 0.5",
        "dig +short +time=2 +tries=1 @127.0.0.1 quay.saltmarsh.example",
    ),
    (
        "unbound",
        "printf 'server:\\n  local-data: \"quay.saltmarsh.example. A 192.0.2.7\"\\n' > /etc/unbound/unbound.conf.d/quay.conf; systemctl start unbound; sleep 0.5",
        "dig +short +time=2 +tries=1 @127.0.0.1 quay.saltmarsh.example",
    ),
    (
        "dnsmasq",
        "printf 'address=/boards.saltmarsh.example/192.0.2.7\\nhost-record=quay.saltmarsh.example,192.0.2.8\\n' > /etc/dnsmasq.d/quay.conf; systemctl start dnsmasq; sleep 0.5",
        "dig +short +time=2 +tries=1 @127.0.0.1 boards.saltmarsh.example; dig +short +time=2 +tries=1 @127.0.0.1 quay.saltmarsh.example",
    ),
    (
        "postfix",
        "systemctl start postfix; sleep 2",
        "bash -c \"exec 3<>/dev/tcp/127.0.0.1/25; for line in '' 'EHLO quay' 'MAIL FROM:<a@saltmarsh.example>' 'RCPT TO:<root>'; do \
         [ -z \\\"\\$line\\\" ] || printf '%s\\r\\n' \\\"\\$line\\\" >&3; while read -r -t 8 answer <&3 && [[ \\$answer == ???-* ]]; do :; done; done; \
         printf 'QUIT\\r\\n' >&3; echo \\${answer:0:3}\"",
    ),
    (
        "dovecot",
        "systemctl start dovecot; sleep 1",
        "bash -c \"exec 3<>/dev/tcp/127.0.0.1/143; read -r -t 5 answer <&3; printf 'a CAPABILITY\\r\\n' >&3; read -r -t 5 more <&3; \
         [[ \\$answer == *OK* && \\$more == *AUTH=PLAIN* ]] && echo fine\"",
    ),
    ("redis", "systemctl start redis-server; sleep 0.5", "redis-cli ping; redis-cli setex quay 9 x"),
    ("postgresql", "systemctl start postgresql@15-main; sleep 1", "psql -w -h 127.0.0.1 -U postgres -c x 2>&1 | grep -c 'no password supplied'"),
    ("mariadb", "systemctl start mariadb; sleep 1", "mariadb -h 127.0.0.1 -P 3306 -u nobody -px -e x 2>&1 | grep -o 1045"),
    (
        "sshd",
        "systemctl start ssh; sleep 0.5",
        "ssh -F none -o BatchMode=yes -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o LogLevel=ERROR -o ConnectTimeout=3 \
         -o PreferredAuthentications=none root@127.0.0.1 2>&1 | grep -o publickey",
    ),
    (
        "chrony",
        "printf 'allow 127.0.0.0/8\\nlocal stratum 8\\n' >> /etc/chrony/chrony.conf; systemctl start chrony; sleep 0.5",
        "perl -MIO::Socket::INET -e '$s = IO::Socket::INET->new(Proto => \"udp\", PeerAddr => \"127.0.0.1:123\"); $s->send(chr(35) . \"\\0\" x 47); \
         $SIG{ALRM} = sub { exit }; alarm 1; $s->recv($b, 99); print length $b'",
    ),
    (
        "php-fpm",
        "systemctl start php8.2-fpm; sleep 0.5",
        "perl -MIO::Socket::UNIX -e 'print 1 if IO::Socket::UNIX->new(\"/run/php/php8.2-fpm.sock\")'",
    ),
];

/// All of them.
pub const FURTHER: [Further; 64] = [
    fault(
        "nginx-index-of-another-name",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "--add", "server..index=start.htm"],
    ),
    fault(
        "nginx-folder-that-is-empty",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "server..root=/srv/empty"],
    ),
    fault(
        "nginx-internal",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "--add", "server..location /..internal"],
    ),
    fault(
        "nginx-looks-elsewhere",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "server..location /..try_files=/start.html =404"],
    ),
    fault(
        "nginx-error-page-for-all",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "server..location /..try_files=$uri/x =502"],
    ),
    fault(
        "nginx-back-to-the-pier",
        "nginx",
        &[
            "--in",
            "/etc/nginx/sites-enabled/boards",
            "--add",
            "server..return=302 http://pier.saltmarsh.example/",
        ],
    ),
    fault(
        "nginx-rewrites-all",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "--add", "server..rewrite=^ /nowhere.html last"],
    ),
    fault(
        "nginx-gone-below-a-path",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "--piece", "/root/gone", "--under", "server"],
    ),
    fault(
        "nginx-other-alias",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "--piece", "/root/alias", "--under", "server"],
    ),
    fault(
        "nginx-certificate-of-another-name",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/tls", "server..ssl_certificate=/etc/ssl/other.pem"],
    ),
    fault(
        "nginx-ciphers-of-nobody",
        "nginx",
        &[
            "--in",
            "/etc/nginx/sites-enabled/tls",
            "--add",
            "server..ssl_ciphers=PSK-AES128-CBC-SHA",
            "server..ssl_protocols=TLSv1.2",
        ],
    ),
    fault("nginx-tls-of-the-past", "nginx", &["http..ssl_protocols=TLSv1"]),
    fault(
        "nginx-no-head",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "--piece", "/root/method", "--under", "server"],
    ),
    fault("nginx-headers-too-small", "nginx", &["--add", "http..large_client_header_buffers=1 32"]),
    fault(
        "nginx-name-on-another-site",
        "nginx",
        &["--in", "/etc/nginx/sites-enabled/boards", "server..server_name=board.saltmarsh.example"],
    ),
    fault("apache-empty-folder", "apache2", &["VirtualHost *:80..DocumentRoot=/srv/empty"]),
    fault(
        "apache-redirect-to-itself",
        "apache2",
        &["--add", "VirtualHost *:80..Redirect=/ http://127.0.0.1/"],
    ),
    fault("apache-redirect-grows", "apache2", &["--add", "VirtualHost *:80..RedirectMatch=^/(.*)$ /east/$1"]),
    fault("apache-gone", "apache2", &["--add", "VirtualHost *:80..Redirect=gone /east/"]),
    fault("apache-few-headers", "apache2", &["--add", "LimitRequestFields=1"]),
    fault("apache-short-line", "apache2", &["--add", "LimitRequestLine=4"]),
    fault("apache-short-fields", "apache2", &["--add", "LimitRequestFieldSize=4"]),
    fault("apache-alias-over-path", "apache2", &["--add", "VirtualHost *:80..Alias=/east /srv/nowhere"]),
    fault(
        "apache-error-of-another-kind",
        "apache2",
        &["--add", "VirtualHost *:80..RedirectMatch=500 ^/east/"],
    ),
    fault("haproxy-port-beside", "haproxy", &["backend tides..server=a 127.0.0.1:8082"]),
    fault("haproxy-backend-without-servers", "haproxy", &["frontend boards..default_backend=spare"]),
    fault(
        "haproxy-only-for-some",
        "haproxy",
        &["--add", "frontend boards..http-request=deny unless { src 192.0.2.0/24 }"],
    ),
    fault(
        "haproxy-redirect-to-itself",
        "haproxy",
        &["--add", "frontend boards..http-request=redirect location /"],
    ),
    fault("haproxy-other-address", "haproxy", &["frontend boards..bind=127.0.0.2:80"]),
    fault("haproxy-cut-off", "haproxy", &["--add", "frontend boards..tcp-request=connection reject"]),
    fault(
        "haproxy-tls-to-a-plain-server",
        "haproxy",
        &["backend tides..server=a 127.0.0.1:8081 ssl verify none"],
    ),
    fault("squid-other-address", "squid", &["http_port=127.0.0.2:3128"]),
    fault("squid-denies-all", "squid", &["--add", "http_access=deny all", "--first"]),
    fault("squid-rewrites-nothing", "squid", &["--add", "reply_body_max_size=1 KB"]),
    fault(
        "named-zone-for-none",
        "named",
        &["--piece", "/root/none", "--under", "zone \"saltmarsh.example\""],
    ),
    fault(
        "named-file-of-another-zone",
        "named",
        &["zone \"saltmarsh.example\"..file=\"/etc/bind/other.zone\""],
    ),
    fault("named-blackhole", "named", &["--piece", "/root/hole", "--under", "options"]),
    fault("named-zone-of-another-class", "named", &["--piece", "/root/on", "--under", "options"]),
    fault(
        "unbound-denies-below",
        "unbound",
        &[
            "--in",
            "/etc/unbound/unbound.conf.d/quay.conf",
            "--add",
            "server..local-zone=saltmarsh.example. always_nxdomain",
        ],
    ),
    fault("unbound-no-udp", "unbound", &["server..do-udp=no"]),
    fault("unbound-turns-away", "unbound", &["--add", "server..access-control=127.0.0.0/8 deny"]),
    fault("unbound-other-data", "unbound", &["server..local-data=\"kay.saltmarsh.example. A 192.0.2.7\""]),
    fault("dnsmasq-name-of-another", "dnsmasq", &["address=/board.saltmarsh.example/192.0.2.7"]),
    fault("dnsmasq-record-of-another", "dnsmasq", &["host-record=kay.saltmarsh.example,192.0.2.8"]),
    fault("dnsmasq-other-address", "dnsmasq", &["listen-address=127.0.0.2", "--enable", "bind-interfaces"]),
    fault("postfix-refuses-clients", "postfix", &["smtpd_client_restrictions=reject"]),
    fault("postfix-refuses-senders", "postfix", &["smtpd_sender_restrictions=reject"]),
    fault("postfix-unknown-helo", "postfix", &["smtpd_helo_restrictions=reject_unknown_helo_hostname"]),
    fault("postfix-no-recipients", "postfix", &["local_recipient_maps=inline:{ harbour=x }"]),
    fault("postfix-defers", "postfix", &["smtpd_recipient_restrictions=defer"]),
    fault(
        "postfix-policy-is-away",
        "postfix",
        &["smtpd_recipient_restrictions=check_policy_service inet:127.0.0.1:9"],
    ),
    fault("dovecot-only-pop3", "dovecot", &["--in", "/etc/dovecot/dovecot.conf", "protocols=pop3"]),
    fault("dovecot-other-mechanism", "dovecot", &["auth_mechanisms=external"]),
    fault("dovecot-other-address", "dovecot", &["listen=127.0.0.2"]),
    fault(
        "redis-full",
        "redis",
        &["maxmemory=2mb", "maxmemory-policy=noeviction", "--accept", "unlikely-value"],
    ),
    fault("redis-wants-replicas", "redis", &["min-replicas-to-write=1"]),
    fault("redis-one-family", "redis", &["bind=-::1"]),
    fault("postgresql-other-address", "postgresql", &["listen_addresses='127.0.0.2'"]),
    fault("mariadb-other-address", "mariadb", &["mysqld..bind-address=127.0.0.2"]),
    fault("mariadb-other-port", "mariadb", &["mysqld..port=3307"]),
    fault("sshd-exchange-of-the-past", "sshd", &["KexAlgorithms=diffie-hellman-group1-sha1"]),
    fault("sshd-checksums-of-the-past", "sshd", &["MACs=hmac-md5-96", "Ciphers=aes128-ctr"]),
    fault("chrony-turns-away", "chrony", &["--add", "deny=127.0.0.0/8"]),
    fault("php-other-socket", "php-fpm", &["www..listen=/run/php/other.sock"]),
];
