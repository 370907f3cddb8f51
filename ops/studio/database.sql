-- For the MariaDB server of a studio, once: mariadb < database.sql
CREATE DATABASE IF NOT EXISTS yuplet CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
CREATE USER IF NOT EXISTS 'yuplet'@'10.0.0.%' IDENTIFIED BY 'PASSWORD';
GRANT ALL ON yuplet.* TO 'yuplet'@'10.0.0.%';
